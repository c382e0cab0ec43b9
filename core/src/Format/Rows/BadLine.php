<?php

declare(strict_types=1);

namespace Lighterman\Core\Format\Rows;

/** A line of a file that is no row as the feed expects them. */
final readonly class BadLine
{
    /**
     * @param  int  $number  of the line, or of the row in files without lines, from 1
     * @param  'malformed'|'wrong_width'|'wrong_type'|'invalid_utf8'|'other_columns'  $reason
     * @param  string  $fault  what is wrong, without any value of the line
     * @param  list<string|null>  $row  as far as its values could be told apart, in the order of the feed's columns; a text for each value that does not fit
     * @param  string  $text  as it stands in the file
     */
    public function __construct(public int $number, public string $reason, public string $fault, public array $row, public string $text)
    {
    }
}
