<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Files;

use Generator;
use Lighterman\Core\Port\BrokenFile;

/** Text of which no line is longer than may be held in memory: what a file claims by its size packed says nothing of that. */
final class BoundedLines
{
    /** Bytes of one line. */
    public const LONGEST = 32 << 20;

    /**
     * @param  iterable<int, string>  $pieces
     * @param  bool  $elements  whether the whole may be one list on one line, whose elements are bounded where they are read
     * @return Generator<int, string>
     *
     * @throws BrokenFile with the number of the line
     */
    public static function of(iterable $pieces, string $path, bool $elements): Generator
    {
        $line = 1;
        $held = 0;
        $begun = '';
        foreach ($pieces as $piece) {
            $begun = $begun === '' ? substr(ltrim($piece, "\xEF\xBB\xBF \t\r\n"), 0, 1) : $begun;
            $ends = strcspn($piece, "\r\n");
            if ($held + $ends > self::LONGEST && ! ($elements && $begun === '[')) {
                throw BrokenFile::at($path, "line {$line} is longer than ".(self::LONGEST >> 20).' MB');
            }
            $line += substr_count($piece, "\n");
            $held = $ends === strlen($piece) ? $held + $ends : strcspn(strrev($piece), "\r\n");
            yield $piece;
        }
    }
}
