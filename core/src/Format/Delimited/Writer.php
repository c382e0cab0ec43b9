<?php

declare(strict_types=1);

namespace Lighterman\Core\Format\Delimited;

/**
 * Writes rows as delimited text in UTF-8. A field is quoted where it would be misread otherwise, an empty text where null is
 * written as nothing.
 *
 * @see https://www.rfc-editor.org/rfc/rfc4180
 */
final readonly class Writer
{
    public function __construct(private Dialect $dialect)
    {
    }

    /** @param  list<string|null>  $fields */
    public function line(array $fields): string
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
