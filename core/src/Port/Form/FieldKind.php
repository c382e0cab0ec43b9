<?php

declare(strict_types=1);

namespace Lighterman\Core\Port\Form;

enum FieldKind
{
    case Text;
    case Number;
    case Choice;
    /** A path on the machine that Lighterman runs on. */
    case Path;
    /** Kept encrypted, never shown again, and never a setting among others. */
    case Secret;
}
