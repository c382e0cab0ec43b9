<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment;

/** Goes through a block of lines at once where it can, and line by line where it cannot. */
final class LineByLine
{
    /**
     * Where a line is not UTF-8, only that one fails.
     *
     * @param  callable(string, int): array<int, array<int, string>>  $block  treats lines, of which the first has a place
     * @param  callable(string, int): array{string, int}  $judged  a line that fails, with its place: what lands all the same, with a newline, and its fork
     * @return array<int, array<int, string>> lines that land, by fork and place
     */
    public static function where(string $encoded, callable $block, callable $judged): array
    {
        if (mb_check_encoding($encoded, 'UTF-8')) {
            return $block($encoded, 0);
        }
        $out = [];
        foreach (explode("\n", substr($encoded, 0, -1)) as $n => $line) {
            if (mb_check_encoding($line, 'UTF-8')) {
                foreach ($block($line."\n", $n) as $fork => $lines) {
                    $out[$fork][$n] = (string) reset($lines);
                }

                continue;
            }
            [$landed, $fork] = $judged($line, $n);
            if ($landed !== '') {
                $out[$fork][$n] = substr($landed, 0, -1);
            }
        }

        return $out;
    }
}
