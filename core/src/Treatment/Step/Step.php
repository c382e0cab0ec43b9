<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment\Step;

use Lighterman\Core\Shape\Type;
use Lighterman\Core\Treatment\Expression\InvalidExpression;
use Lighterman\Core\Treatment\Value\InvalidStep;

/** One thing done to a column's value on the way. */
interface Step
{
    /**
     * Writes the PHP that does it.
     *
     * @param  string  $variable  holds the value's text form, or null, and is to hold the result
     * @param  Type|null  $type  of the value; null where there is none yet
     * @return Type of the result
     *
     * @throws InvalidStep|InvalidExpression
     */
    public function emit(RowCode $to, string $variable, ?Type $type): Type;

    /** Whether nothing that could be read from the value before is left after it. */
    public function masks(): bool;

    /** Whether different values always stay different, so that a key may be treated so. */
    public function keepsApart(): bool;

    /** In a few words, as the column sheet shows it. */
    public function sentence(): string;

    /** @return array<string, mixed> with the step's own key first */
    public function toArray(): array;
}
