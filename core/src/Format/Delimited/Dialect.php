<?php

declare(strict_types=1);

namespace Lighterman\Core\Format\Delimited;

use InvalidArgumentException;

/** How a file of delimited text is written. */
final readonly class Dialect
{
    public const DELIMITERS = [';' => 'semicolon', ',' => 'comma', "\t" => 'tab', '|' => 'upright line'];

    public const ENCODINGS = ['UTF-8', 'UTF-16LE', 'UTF-16BE', 'UTF-32LE', 'UTF-32BE', 'Windows-1252'];

    /**
     * @param  non-empty-string  $delimiter  one character between fields
     * @param  non-empty-string|null  $quote  one character around fields that hold delimiters or line breaks, doubled within; null for none
     * @param  bool  $header  whether the first line names the columns
     * @param  string  $null  what an unquoted field says instead of null
     * @param  '.'|','  $decimal
     *
     * @throws InvalidArgumentException
     */
    public function __construct(public string $delimiter = ',', public ?string $quote = '"', public bool $header = true, public string $encoding = 'UTF-8', public string $null = '', public string $decimal = '.')
    {
        if (strlen($delimiter) !== 1 || in_array($delimiter, ["\n", "\r", $quote], true)) {
            throw new InvalidArgumentException('The delimiter is one character that is neither a line break nor the quote.');
        }
        if ($quote !== null && strlen($quote) !== 1) {
            throw new InvalidArgumentException('The quote is one character, or none.');
        }
        if (! in_array($encoding, self::ENCODINGS, true)) {
            throw new InvalidArgumentException("\"{$encoding}\" is none of the encodings that can be read: ".implode(', ', self::ENCODINGS).'.');
        }
    }

    public function delimiterWord(): string
    {
        return self::DELIMITERS[$this->delimiter] ?? $this->delimiter;
    }

    /** @return array<string, mixed> */
    public function toArray(): array
    {
        return get_object_vars($this);
    }

    /** @param  array<string, mixed>  $data */
    public static function fromArray(array $data): self
    {
        return new self(...array_intersect_key($data, ['delimiter' => 1, 'quote' => 1, 'header' => 1, 'encoding' => 1, 'null' => 1, 'decimal' => 1]));
    }
}
