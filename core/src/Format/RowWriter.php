<?php

declare(strict_types=1);

namespace Lighterman\Core\Format;

/** Writes the rows of one file, piece by piece. */
interface RowWriter
{
    /** What the file begins with. */
    public function begin(): string;

    /**
     * @param  list<string|null>  $row
     * @return string bytes that can be written now; none where they are held back for a block
     *
     * @throws UnfitValue
     */
    public function row(array $row): string;

    /** What is left at the end. */
    public function end(): string;
}
