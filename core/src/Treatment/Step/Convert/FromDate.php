<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment\Step\Convert;

use Lighterman\Core\Shape\Type;
use Lighterman\Core\Shape\TypeKind;
use Lighterman\Core\Treatment\Value\Moment;
use Lighterman\Core\Treatment\Value\Worker;

/** A date or a moment, in UTC, written by a pattern. */
final readonly class FromDate implements Worker
{
    private ToText $text;

    public function __construct(private DatePattern $pattern, Type $to)
    {
        $this->text = new ToText($to->kind === TypeKind::Text ? null : $to->length, null);
    }

    public function of(string $value): string
    {
        return $this->text->of(Moment::at($value)->format($this->pattern->php));
    }
}
