<?php

declare(strict_types=1);

namespace Lighterman\Core\Capture;

/** Columns that say where a row stands in the files, by the names they are to have; null for none. */
final readonly class FileColumns
{
    /**
     * @param  string|null  $file  takes the file's path
     * @param  string|null  $line  takes the number of the line, or of the row in files without lines, from 1
     */
    public function __construct(public ?string $file = 'source_file', public ?string $line = 'source_line')
    {
    }

    /** @return list<string> */
    public function names(): array
    {
        return array_values(array_filter([$this->file, $this->line], static fn (?string $c): bool => $c !== null));
    }
}
