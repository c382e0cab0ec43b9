<?php

declare(strict_types=1);

namespace Lighterman\Core\Format\Rows;

/** Some rows of a file, and what was found among them that is none. */
final readonly class Block
{
    /**
     * @param  string  $encoded  lines in the text form of COPY
     * @param  list<BadLine>  $bad
     */
    public function __construct(public string $encoded, public array $bad = [])
    {
    }
}
