<?php

declare(strict_types=1);

namespace Lighterman\Core\Record;

/** A line of a file, or a file, that rows could not be made of. */
final readonly class Unreadable
{
    /**
     * @param  int  $number  of the line, from 1; 0 for the file as a whole
     * @param  string  $reason  in one word, as a file name has it
     * @param  string  $fault  what is wrong, without any value of the line
     * @param  list<string|null>  $row  as far as its values could be told apart, in the order of the carried columns
     * @param  string  $text  as it stands in the file; empty where that says no more
     */
    public function __construct(public string $file, public int $number, public string $reason, public string $fault, public array $row, public string $text)
    {
    }

    public function message(): string
    {
        return $this->number === 0 ? "{$this->file}: {$this->fault}." : "{$this->file}, line {$this->number}: {$this->fault}.";
    }
}
