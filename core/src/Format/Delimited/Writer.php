<?php

declare(strict_types=1);

namespace Lighterman\Core\Format\Delimited;

use Lighterman\Core\Format\RowWriter;
use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Shape\TypeKind;

/**
 * Writes rows as delimited text in UTF-8. A field is quoted where it would be misread otherwise, an empty text where null is
 * written as nothing.
 *
 * @see https://www.rfc-editor.org/rfc/rfc4180
 */
final readonly class Writer implements RowWriter
{
    /** @var array<int, true> places of numbers, whose mark is another */
    private array $marked;

    public function __construct(private Dialect $dialect, private Shape $shape)
    {
        $numbers = array_filter($shape->columns, static fn (Column $c): bool => in_array($c->type->kind, [TypeKind::Decimal, TypeKind::Float32, TypeKind::Float64], true));
        $this->marked = $dialect->decimal === '.' ? [] : array_map(static fn (): true => true, $numbers);
    }

    public function begin(): string
    {
        return $this->dialect->header ? $this->line($this->shape->names()) : '';
    }

    public function row(array $row): string
    {
        foreach (array_intersect_key($row, $this->marked) as $at => $value) {
            $row[$at] = $value === null ? null : str_replace('.', $this->dialect->decimal, $value);
        }

        return $this->line($row);
    }

    public function end(): string
    {
        return '';
    }

    /** @param  array<int, string|null>  $fields */
    private function line(array $fields): string
    {
        return implode($this->dialect->delimiter, array_map($this->field(...), $fields))."\r\n";
    }

    private function field(?string $value): string
    {
        if ($value === null) {
            return $this->dialect->null;
        }
        $quote = $this->dialect->quote;

        return $quote !== null && ($value === $this->dialect->null || strpbrk($value, "{$quote}{$this->dialect->delimiter}\r\n") !== false)
            ? $quote.str_replace($quote, $quote.$quote, $value).$quote
            : $value;
    }
}
