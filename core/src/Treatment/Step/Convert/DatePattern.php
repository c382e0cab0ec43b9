<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment\Step\Convert;

use Lighterman\Core\Treatment\Value\InvalidStep;

/**
 * A date pattern in the letters of Unicode's Locale Data Markup Language: yyyy, yy, MM, M, dd, d, HH, H, mm, ss, S…, XXX
 * and XX for the offset; text in quotes stands for itself.
 *
 * @see https://unicode.org/reports/tr35/tr35-dates.html#Date_Field_Symbol_Table
 */
final readonly class DatePattern
{
    private const FIELDS = [
        'yyyy' => ['(?<y>\d{4})', 'Y'], 'yy' => ['(?<yy>\d{2})', 'y'], 'MM' => ['(?<m>\d{2})', 'm'], 'M' => ['(?<m>\d{1,2})', 'n'], 'dd' => ['(?<d>\d{2})', 'd'], 'd' => ['(?<d>\d{1,2})', 'j'],
        'HH' => ['(?<h>\d{2})', 'H'], 'H' => ['(?<h>\d{1,2})', 'G'], 'mm' => ['(?<i>\d{2})', 'i'], 'ss' => ['(?<s>\d{2})', 's'], 'SSSSSS' => ['(?<f>\d{6})', 'u'], 'SSS' => ['(?<f>\d{3})', 'v'],
        'XXX' => ['(?<z>Z|[+-][01]\d:[0-5]\d)', 'P'], 'XX' => ['(?<z>Z|[+-][01]\d[0-5]\d)', 'O'],
    ];

    private function __construct(public string $text, public string $regex, public string $php)
    {
    }

    /** @throws InvalidStep */
    public static function of(string $text): self
    {
        $regex = $php = '';
        $seen = [];
        preg_match_all("/'([^']*)'|([A-Za-z])\\2*|./su", $text, $parts, PREG_SET_ORDER);
        foreach ($parts as $part) {
            if (! isset($part[2])) {
                $quoted = $part[1] ?? '';
                $literal = str_starts_with($part[0], "'") && strlen($part[0]) > 1 ? ($quoted === '' ? "'" : $quoted) : $part[0];
                $regex .= preg_quote($literal, '~');
                $php .= addcslashes($literal, 'A..Za..z\\');

                continue;
            }
            [$r, $p] = self::FIELDS[$part[0]] ?? throw InvalidStep::because("\"{$part[0]}\" in the date format {$text} is not known; use yyyy, MM, dd, HH, mm, ss, SSS, XXX, and quotes around words.");
            if (in_array($p, $seen, true)) {
                throw InvalidStep::because("\"{$part[0]}\" stands twice in the date format {$text}.");
            }
            $seen[] = $p;
            $regex .= $r;
            $php .= $p;
        }

        return $seen === [] ? throw InvalidStep::because("{$text} names no part of a date.") : new self($text, "~^{$regex}$~u", $php);
    }
}
