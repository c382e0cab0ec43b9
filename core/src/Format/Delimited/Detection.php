<?php

declare(strict_types=1);

namespace Lighterman\Core\Format\Delimited;

use Lighterman\Core\Shape\Type;
use Lighterman\Core\Shape\TypeKind;

/** What a sample of a file says about how it is written and what its columns hold, with the evidence. */
final readonly class Detection
{
    /** A type is taken if at least this share of the values that are there fit it; the others will be said. */
    private const ENOUGH = 0.98;

    private const DELIMITERS = [';' => 'semicolons', ',' => 'commas', "\t" => 'tabs', '|' => 'upright lines'];

    private const DATES = ['yyyy-MM-dd' => '/^\d{4}-\d\d-\d\d$/', 'dd.MM.yyyy' => '/^\d\d\.\d\d\.\d{4}$/', 'dd/MM/yyyy' => '/^\d\d\/\d\d\/\d{4}$/', 'yyyyMMdd' => '/^(19|20)\d\d(0[1-9]|1[0-2])(0[1-9]|[12]\d|3[01])$/'];

    /**
     * @param  list<array{name: string, type: Type, format: string|null, evidence: string}>  $columns  with the format of dates that are not written year first
     * @param  array<string, string>  $evidence  why, by what was detected
     */
    private function __construct(public Dialect $dialect, public array $columns, public array $evidence)
    {
    }

    /** @param  string  $sample  the file's first bytes, as they are; lines cut short at its end are left out */
    public static function in(string $sample): self
    {
        $encoding = Encoding::of($sample);
        $text = implode('', iterator_to_array(Encoding::utf8([$sample], $encoding), false));
        $end = strrpos($text, "\n");
        $text = $end === false ? $text : substr($text, 0, $end + 1);
        [$delimiter, $why] = self::delimiter($text);
        $plain = new Dialect($delimiter, str_contains($text, '"') ? '"' : null, false);
        $rows = [];
        foreach ((new Reader([$text], $plain))->lines() as $line) {
            if ($line->fault === null) {
                $rows[] = $line->fields;
            }
        }
        $decimal = self::decimal($rows);
        $values = static fn (array $rows): array => $rows === [] ? [] : (count($rows) === 1 ? array_map(static fn (?string $v): array => [$v], $rows[0]) : array_map(null, ...$rows));
        $header = self::header($rows, $values($rows), $decimal);
        $dialect = new Dialect($delimiter, $plain->quote, $header, $encoding, '', $decimal);
        $columns = [];
        foreach ($values($header ? array_slice($rows, 1) : $rows) ?: array_map(static fn (): array => [], $rows[0] ?? []) as $i => $column) {
            $columns[] = ['name' => $header ? trim((string) ($rows[0][$i] ?? '')) : 'column_'.($i + 1)] + self::type($column, $decimal);
        }

        return new self($dialect, $columns, [
            'encoding' => $encoding === 'UTF-8' ? 'every byte fits UTF-8' : ($encoding === 'Windows-1252' ? 'some bytes do not fit UTF-8' : 'its characters take two bytes each'),
            'delimiter' => $why,
            'header' => $header ? 'the first line differs from those below' : 'the first line is like those below',
            'decimal' => $decimal === ',' ? 'numbers have commas before their last digits' : 'no number has a decimal comma',
        ]);
    }

    /** @return array{non-empty-string, string} the delimiter, and why */
    private static function delimiter(string $text): array
    {
        /** @var array{non-empty-string, string} $best */
        $best = [',', 'no character parts the lines, so each is one field'];
        $score = 0.0;
        foreach (self::DELIMITERS as $delimiter => $name) {
            $widths = [];
            $lines = 0;
            foreach ((new Reader([$text], new Dialect($delimiter, '"', false)))->lines() as $line) {
                $width = $line->fault === null ? count($line->fields) : (int) (preg_match('/it has (\d+)/', $line->fault, $m) ? $m[1] : 0);
                $widths[$width] = ($widths[$width] ?? 0) + 1;
                if (++$lines === 500) {
                    break;
                }
            }
            arsort($widths);
            $width = (int) array_key_first($widths);
            $share = $lines === 0 ? 0.0 : reset($widths) / $lines;
            // That many fields in line after line come about by chance the less, the more there are.
            if ($width > 1 && $share * (1 + log($width)) > $score) {
                $score = $share * (1 + log($width));
                $best = [$delimiter, number_format((int) reset($widths)).' of '.number_format($lines)." lines have {$width} fields parted by {$name}"];
            }
        }

        return $best;
    }

    /**
     * @param  list<list<string|null>>  $rows
     * @return '.'|','
     */
    private static function decimal(array $rows): string
    {
        $commas = $points = 0;
        foreach ($rows as $row) {
            foreach ($row as $value) {
                $commas += (int) preg_match('/^[+-]?\d+,\d+$/', trim($value ?? ''));
                $points += (int) preg_match('/^[+-]?\d+\.\d+$/', trim($value ?? ''));
            }
        }

        return $commas > $points ? ',' : '.';
    }

    /**
     * @param  list<list<string|null>>  $rows
     * @param  array<int, list<string|null>>  $columns  the same by column
     * @param  non-empty-string  $decimal
     */
    private static function header(array $rows, array $columns, string $decimal): bool
    {
        $first = array_map(static fn (?string $n): string => trim($n ?? ''), $rows[0] ?? []);
        if ($first === [] || in_array('', $first, true) || count(array_unique($first)) < count($first) || array_filter($first, static fn (string $n): bool => self::fits($n, $decimal) !== []) !== []) {
            return false;
        }
        if (count($rows) === 1) {
            return true;
        }
        foreach ($columns as $i => $column) {
            $below = array_slice($column, 1);
            if (self::type($below, $decimal)['type']->kind !== TypeKind::Text) {
                return true;
            }
            if (in_array($first[$i], array_map(static fn (?string $v): string => trim($v ?? ''), $below), true)) {
                return false;
            }
        }

        // Nothing but texts: names are short, have no spaces at their ends, and do not come again.
        return max(array_map(mb_strlen(...), $first)) <= 40;
    }

    /**
     * The kinds a value may be of, narrowest first.
     *
     * @return list<string>
     */
    private static function fits(string $value, string $decimal): array
    {
        $kinds = [];
        foreach (self::DATES as $format => $pattern) {
            if (preg_match($pattern, $value)) {
                $kinds[] = "date {$format}";
            }
        }
        if (preg_match('/^\d{4}-\d\d-\d\d[ T]\d\d:\d\d(:\d\d(\.\d{1,6})?)?(Z|[+-]\d\d(:?\d\d)?)?$/', $value, $m)) {
            $kinds[] = ($m[3] ?? '') === '' ? 'timestamp' : 'timestamptz';
        }
        if (preg_match('/^(true|false)$/i', $value)) {
            $kinds[] = 'boolean';
        }
        // A number with zeros before it is a code: as a number it would lose them.
        if (preg_match('/^[+-]?(0|[1-9]\d{0,17})$/', $value)) {
            $kinds[] = 'integer';
        }
        if (preg_match('/^[+-]?(0|[1-9]\d{0,30})('.preg_quote($decimal, '/').'\d{1,12})?$/', $value)) {
            $kinds[] = 'decimal';
        }

        return $kinds;
    }

    /**
     * @param  list<string|null>  $values
     * @param  non-empty-string  $decimal
     * @return array{type: Type, format: string|null, evidence: string}
     */
    private static function type(array $values, string $decimal): array
    {
        $counts = [];
        $there = 0;
        foreach ($values as $value) {
            if ($value !== null && trim($value) !== '') {
                $there++;
                foreach (self::fits(trim($value), $decimal) as $kind) {
                    $counts[$kind] = ($counts[$kind] ?? 0) + 1;
                }
            }
        }
        $empty = count($values) - $there;
        $tail = $empty === 0 ? '' : '; '.number_format($empty).' empty';
        foreach (['boolean', 'date yyyy-MM-dd', 'date dd.MM.yyyy', 'date dd/MM/yyyy', 'timestamptz', 'timestamp', 'date yyyyMMdd', 'integer', 'decimal'] as $kind) {
            $fits = $counts[$kind] ?? 0;
            if ($there > 0 && $fits / $there >= self::ENOUGH) {
                return [
                    'type' => self::typeOf($kind, $values, $decimal),
                    'format' => str_starts_with($kind, 'date ') && $kind !== 'date yyyy-MM-dd' ? substr($kind, 5) : null,
                    'evidence' => "{$kind} in ".number_format($fits).' of '.number_format(count($values)).$tail.($fits < $there ? '; '.number_format($there - $fits).' not' : ''),
                ];
            }
        }

        return ['type' => Type::of(TypeKind::Text), 'format' => null, 'evidence' => 'text in '.number_format($there).' of '.number_format(count($values)).$tail];
    }

    /**
     * @param  list<string|null>  $values
     * @param  non-empty-string  $decimal
     */
    private static function typeOf(string $kind, array $values, string $decimal): Type
    {
        if ($kind === 'integer') {
            $most = max(0, ...array_map(static fn (?string $v): int => strlen(ltrim(trim($v ?? ''), '+-')), $values));

            return Type::of($most < 10 ? TypeKind::Int32 : TypeKind::Int64);
        }
        if ($kind === 'decimal') {
            $whole = $scale = 1;
            foreach ($values as $value) {
                $parts = explode($decimal, ltrim(trim($value ?? ''), '+-'));
                $whole = max($whole, strlen($parts[0]));
                $scale = max($scale, strlen($parts[1] ?? ''));
            }

            // Room for values that the sample does not hold.
            return Type::decimal(min(38, $whole + 4 + $scale), $scale);
        }

        return Type::of(match (true) {
            str_starts_with($kind, 'date') => TypeKind::Date, $kind === 'boolean' => TypeKind::Boolean, $kind === 'timestamp' => TypeKind::Timestamp, default => TypeKind::TimestampTz,
        });
    }
}
