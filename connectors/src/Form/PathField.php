<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Form;

use Lighterman\Core\Port\Form\Field;
use Lighterman\Core\Port\Form\FieldKind;
use Lighterman\Core\Port\Form\FieldLimits;
use Lighterman\Core\Port\Form\Form;

/** A file or folder of the machine that Lighterman runs on. */
final class PathField
{
    public static function form(string $label, string $example, string $hint): Form
    {
        return new Form(new Field('path', $label, FieldKind::Path, new FieldLimits(1000, pattern: '/^\//', says: 'Give the whole path, beginning with /.'), hint: $hint, example: $example));
    }
}
