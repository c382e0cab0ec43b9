<?php

declare(strict_types=1);

namespace App\Feeds;

use Lighterman\Core\Treatment\InvalidTreatment;
use Lighterman\Core\Treatment\Line;
use Lighterman\Core\Treatment\Value\Pattern;

/** Gives many columns other names at once. */
final class Renaming
{
    /**
     * @param  list<Line>  $lines
     * @param  list<int>  $only  lines to rename; all where empty
     * @param  string  $find  a pattern; empty leaves the name as it is, but for the letters
     * @param  string  $put  what the matched part becomes, with $1 for its first group
     * @param  string  $case  lower, upper, snake, or empty
     * @return list<Line>
     *
     * @throws InvalidTreatment
     */
    public static function byPattern(array $lines, array $only, string $find, string $put, string $case): array
    {
        $pattern = $find === '' ? null : Pattern::of($find);
        if (is_string($pattern)) {
            throw InvalidTreatment::of("The pattern {$find}: {$pattern}.");
        }
        foreach ($lines as $n => $line) {
            if ($only !== [] && ! in_array($n, $only, true)) {
                continue;
            }
            $name = $pattern === null ? $line->name() : $pattern->replace($line->name(), $put);
            $name = match ($case) {
                'lower' => mb_strtolower($name), 'upper' => mb_strtoupper($name), 'snake' => self::snake($name), default => $name,
            };
            if ($name !== $line->name()) {
                $lines[$n] = Line::fromArray(['as' => $name] + $line->toArray());
            }
        }

        return $lines;
    }

    /**
     * @param  list<Line>  $lines
     * @param  string  $list  lines with a technical and a readable name, parted by a tab, a comma or a semicolon
     * @return array{list<Line>, list<string>} the lines, and names in the list that no column has
     *
     * @throws InvalidTreatment
     */
    public static function byList(array $lines, string $list): array
    {
        $names = $unknown = [];
        foreach (preg_split('/\R/', trim($list)) ?: [] as $i => $pair) {
            $mark = str_contains($pair, "\t") ? "\t" : (str_contains($pair, ';') ? ';' : ',');
            $parts = array_map(static fn (?string $word): string => trim((string) $word), str_getcsv($pair, $mark, '"', ''));
            if ($parts === ['']) {
                continue;
            }
            if (count($parts) < 2 || $parts[1] === '') {
                throw InvalidTreatment::of('Line '.($i + 1).' of the list, "'.mb_substr($pair, 0, 60).'", does not hold two names. Write the technical name, a comma or a tab, and the readable one.');
            }
            $names[$parts[0]] = $parts[1];
        }
        $known = array_map(static fn (Line $l): string => (string) $l->from, $lines);
        foreach ($names as $technical => $readable) {
            $n = array_search((string) $technical, $known, true);
            if ($n === false) {
                $unknown[] = (string) $technical;
            } else {
                $lines[$n] = Line::fromArray(['as' => $readable] + $lines[$n]->toArray());
            }
        }

        return [array_values($lines), $unknown];
    }

    private static function snake(string $name): string
    {
        return trim((string) preg_replace('/[^\p{L}\p{N}]+/u', '_', mb_strtolower((string) preg_replace('/(?<=[\p{Ll}\p{N}])(?=\p{Lu})/u', '_', $name))), '_');
    }
}
