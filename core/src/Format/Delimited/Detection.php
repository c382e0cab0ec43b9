<?php

declare(strict_types=1);

namespace Lighterman\Core\Format\Delimited;

use Lighterman\Core\Format\Guess;
use Lighterman\Core\Shape\Type;
use Lighterman\Core\Shape\TypeKind;

/** What a sample of a file says about how it is written and what its columns hold, with the evidence. */
final readonly class Detection
{
    private const SAID = 'as you say';

    /**
     * @param  list<array{name: string, type: Type, format: string|null, evidence: string}>  $columns  with the format of dates that are not written year first
     * @param  array<string, string>  $evidence  why, by what was detected
     */
    private function __construct(public Dialect $dialect, public array $columns, public array $evidence)
    {
    }

    /**
     * @param  string  $sample  the file's first bytes, as they are; lines cut short at its end are left out
     * @param  array<string, mixed>  $said  what a person says of it, under the names of the dialect's parts; it overrules what is found
     */
    public static function in(string $sample, array $said = []): self
    {
        $encoding = $said['encoding'] ?? Encoding::of($sample);
        $text = implode('', iterator_to_array(Encoding::utf8([$sample], $encoding), false));
        $text = Reader::endsInReturns($text) ? strtr($text, "\r", "\n") : $text;
        $end = strrpos($text, "\n");
        $text = $end === false ? $text : substr($text, 0, $end + 1);
        [$delimiter, $why] = isset($said['delimiter']) ? [$said['delimiter'], self::SAID] : self::delimiter($text);
        $plain = new Dialect($delimiter, array_key_exists('quote', $said) ? $said['quote'] : '"', false, null: $said['null'] ?? '');
        $rows = [];
        foreach ((new Reader([$text], $plain))->lines() as $line) {
            if ($line->fault === null) {
                $rows[] = $line->fields;
            }
        }
        $decimal = $said['decimal'] ?? self::decimal($rows);
        $values = static fn (array $rows): array => $rows === [] ? [] : (count($rows) === 1 ? array_map(static fn (?string $v): array => [$v], $rows[0]) : array_map(null, ...$rows));
        $header = $said['header'] ?? self::header($rows, $values($rows), $decimal);
        $dialect = new Dialect($delimiter, $plain->quote, $header, $encoding, $plain->null, $decimal);
        $columns = [];
        $names = $header ? Reader::names($rows[0] ?? []) : [];
        foreach ($values($header ? array_slice($rows, 1) : $rows) ?: array_map(static fn (): array => [], $rows[0] ?? []) as $i => $column) {
            $columns[] = ['name' => $names[$i] ?? 'column_'.($i + 1)] + Guess::type($column, $decimal);
        }

        return new self($dialect, $columns, array_map(static fn (): string => self::SAID, array_intersect_key($said, ['encoding' => 1, 'header' => 1, 'decimal' => 1])) + [
            'encoding' => $encoding === 'UTF-8' ? (mb_check_encoding(mb_strcut($sample, 0, max(0, strlen($sample) - 4), 'UTF-8'), 'UTF-8') ? 'every byte fits UTF-8' : 'nearly all bytes beyond ASCII fit UTF-8; lines with others are set aside') : ($encoding === 'Windows-1252' ? 'some bytes do not fit UTF-8' : 'its characters take two bytes each'),
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
        foreach (Dialect::DELIMITERS as $delimiter => $name) {
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
                $best = [$delimiter, number_format((int) reset($widths)).' of '.number_format($lines)." lines have {$width} fields parted by {$name}s"];
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
        $named = array_filter($first, static fn (string $n): bool => $n !== '');
        if ($named === [] || 2 * count($named) < count($first) || array_filter($first, static fn (string $n): bool => Guess::kinds($n, $decimal) !== []) !== []) {
            return false;
        }
        if (count($rows) === 1) {
            return true;
        }
        foreach ($columns as $i => $column) {
            $below = array_slice($column, 1);
            if (Guess::type($below, $decimal)['type']->kind !== TypeKind::Text) {
                return true;
            }
            if ($first[$i] !== '' && in_array($first[$i], array_map(static fn (?string $v): string => trim($v ?? ''), $below), true)) {
                return false;
            }
        }

        // Nothing but texts: names are short, have no spaces at their ends, and do not come again.
        return max(array_map(mb_strlen(...), $named)) <= 40;
    }
}
