<?php

declare(strict_types=1);

namespace Lighterman\Core\Format\Delimited;

/** One record of a file, or what stands where one should be. */
final readonly class Line
{
    /**
     * @param  int  $number  of the line it begins on, from 1
     * @param  list<string|null>  $fields  of a broken one those that could be told apart, if any
     * @param  string|null  $fault  what is wrong with it
     * @param  string  $text  as it stands in the file, for a broken one
     */
    private function __construct(public int $number, public array $fields, public ?string $fault, public string $text)
    {
    }

    /** @param  list<string|null>  $fields */
    public static function good(int $number, array $fields): self
    {
        return new self($number, $fields, null, '');
    }

    /** @param  list<string|null>  $fields */
    public static function broken(int $number, string $fault, string $text, array $fields = []): self
    {
        return new self($number, $fields, $fault, $text);
    }
}
