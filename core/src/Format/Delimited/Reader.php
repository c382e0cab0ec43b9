<?php

declare(strict_types=1);

namespace Lighterman\Core\Format\Delimited;

use Generator;
use Iterator;

/**
 * Reads delimited text line by line. A line that is not as the others are is given as broken, with its number, and the
 * rest is read on.
 *
 * @see https://www.rfc-editor.org/rfc/rfc4180
 */
final class Reader
{
    /** A quoted field goes on over at most so many bytes; beyond, its quote was a mistake. */
    private const QUOTED = 4 << 20;

    private string $buffer = '';

    private int $at = 0;

    /** Place in the buffer behind the first line of a record that is being put together. */
    private ?int $held = null;

    private int $number = 0;

    /** Lines ahead that run() must leave alone. */
    private int $careful = 0;

    /** Fields of a record; null until the first tells. */
    private ?int $width = null;

    /** @var list<string>|null */
    private ?array $header = null;

    /** @var Iterator<int, string> in UTF-8 */
    private readonly Iterator $pieces;

    /**
     * @param  iterable<int, string>  $pieces  of the file, in order, of any length
     * @param  int|null  $width  fields that a record must have; null takes the first line's
     */
    public function __construct(iterable $pieces, private readonly Dialect $dialect, ?int $width = null)
    {
        $this->width = $width;
        $this->pieces = self::ended(Encoding::utf8($pieces, $dialect->encoding));
        if ($dialect->header) {
            $first = $this->next();
            $this->header = $first === null ? [] : self::names($first->fields);
        }
    }

    /**
     * Names of columns as a first line gives them: one that it leaves out, or gives again, is told by its place.
     *
     * @param  list<string|null>  $fields
     * @return list<string>
     */
    public static function names(array $fields): array
    {
        $names = [];
        foreach ($fields as $i => $field) {
            $name = trim($field ?? '');
            $name = $name === '' ? 'column_'.($i + 1) : $name;
            $names[] = in_array($name, $names, true) ? "{$name}_".($i + 1) : $name;
        }

        return $names;
    }

    /** Whether the lines of a text end in nothing but a carriage return; a line feed at its very end tells nothing. */
    public static function endsInReturns(string $text): bool
    {
        return preg_match('/\r(?!\n|\z)/', $text) === 1 && ! str_contains(rtrim($text, "\n"), "\n");
    }

    /**
     * Where lines end in nothing but a carriage return, as some programs write them, they end in a line feed.
     *
     * @param  Iterator<int, string>  $pieces
     * @return Generator<int, string>
     */
    private static function ended(Iterator $pieces): Generator
    {
        $only = null;
        $held = '';
        foreach ($pieces as $piece) {
            if ($only === null) {
                $held .= $piece;
                $end = strcspn($held, "\r\n");
                if ($end >= strlen($held) - 1 && strlen($held) < self::QUOTED) {
                    continue;
                }
                $only = self::endsInReturns($held);
                $piece = $held;
                $held = '';
            }
            yield $only ? strtr($piece, "\r", "\n") : $piece;
        }
        if ($held !== '') {
            yield self::endsInReturns($held) ? strtr($held, "\r", "\n") : $held;
        }
    }

    /** @return list<string>|null as the first line says, null where the file has none */
    public function header(): ?array
    {
        return $this->header;
    }

    /** @return Generator<int, Line> */
    public function lines(): Generator
    {
        while (($line = $this->next()) !== null) {
            yield $line;
        }
    }

    /**
     * The lines from here on, as they stand, that a pattern fits: a quick way past those in which nothing needs a closer look.
     * None where the next line does not fit.
     *
     * @param  string  $pattern  anchored, of whole lines with their ends
     */
    public function run(string $pattern): string
    {
        if ($this->careful > 0) {
            return '';
        }
        if (strpos($this->buffer, "\n", $this->at) === false && ! $this->fill($this->at)) {
            return '';
        }
        if (preg_match($pattern, $this->buffer, $found, 0, $this->at) !== 1 || $found[0] === '') {
            return '';
        }
        $lines = substr_count($found[0], "\n");
        if (! mb_check_encoding($found[0], 'UTF-8')) {
            // One of them is broken; they are gone through one by one.
            $this->careful = $lines;

            return '';
        }
        $this->number += $lines;
        $this->at += strlen($found[0]);

        return $found[0];
    }

    /** Number of the line last read. */
    public function number(): int
    {
        return $this->number;
    }

    public function next(): ?Line
    {
        $this->careful = max(0, $this->careful - 1);

        do {
            $text = $this->line();
            if ($text === null) {
                return null;
            }
            $number = ++$this->number;
        } while ($text === '' && $this->width !== 1);
        $quote = $this->dialect->quote;
        if ($quote === null || ! str_contains($text, $quote)) {
            return $this->sized($number, $text, array_map(fn (string $f): ?string => $f === $this->dialect->null ? null : $f, explode($this->dialect->delimiter, $text)));
        }
        $this->held = $this->at;
        [$whole, $more] = $this->whole($text, $quote);
        $fields = $this->fields($whole, $quote);
        if (is_string($fields)) {
            // Only its own line is given up: those that were looked through for a closing quote are read as they are.
            $this->at = $this->held;
            $own = $this->fields($text, $quote);
            $this->held = null;

            return Line::broken($number, is_string($own) ? $own : $fields, $text);
        }
        $this->held = null;
        $this->number += $more;

        return $this->sized($number, $whole, $fields);
    }

    /** @param  list<string|null>  $fields */
    private function sized(int $number, string $text, array $fields): Line
    {
        $this->width ??= count($fields);

        return count($fields) === $this->width ? Line::good($number, $fields)
            : Line::broken($number, 'it has '.count($fields).' '.(count($fields) === 1 ? 'field' : 'fields')." instead of {$this->width}", $text, $fields);
    }

    /**
     * A record whose quoted field holds line breaks, put together; the line alone if its quote never closes. What is read
     * for it stays in the buffer.
     *
     * @return array{string, int} the text, and how many lines it took besides the first
     */
    private function whole(string $text, string $quote): array
    {
        if (substr_count($text, $quote) % 2 === 0) {
            return [$text, 0];
        }
        $all = $text;
        for ($more = 1; strlen($all) < self::QUOTED && ($rest = $this->line()) !== null; $more++) {
            $all .= "\n".$rest;
            if (substr_count($rest, $quote) % 2 === 1) {
                return [$all, $more];
            }
        }

        return [$text, 0];
    }

    /** The next line without its end, null after the last. */
    private function line(): ?string
    {
        while (($end = strpos($this->buffer, "\n", $this->at)) === false) {
            if (! $this->fill($this->held ?? $this->at)) {
                if ($this->at >= strlen($this->buffer)) {
                    return null;
                }
                $end = strlen($this->buffer);
                break;
            }
        }
        $line = substr($this->buffer, $this->at, $end - $this->at);
        $this->at = min($end + 1, strlen($this->buffer));

        return str_ends_with($line, "\r") ? substr($line, 0, -1) : $line;
    }

    /**
     * Puts the next piece behind what is kept of the buffer.
     *
     * @param  int  $from  what stands before it is not needed any more
     */
    private function fill(int $from): bool
    {
        if (! $this->pieces->valid()) {
            return false;
        }
        $this->buffer = substr($this->buffer, $from).$this->pieces->current();
        $this->at -= $from;
        $this->held = $this->held === null ? null : $this->held - $from;
        $this->pieces->next();

        return true;
    }

    /**
     * @return list<string|null>|string what is wrong
     */
    private function fields(string $text, string $quote): array|string
    {
        $delimiter = $this->dialect->delimiter;
        $fields = [];
        for ($at = 0, $length = strlen($text); $at <= $length; $at = $end + 1) {
            if (($text[$at] ?? '') !== $quote) {
                $end = strpos($text, $delimiter, $at);
                $end = $end === false ? $length : $end;
                $field = substr($text, $at, $end - $at);
                if (str_contains($field, $quote)) {
                    return 'a quote stands in the middle of a field';
                }
                $fields[] = $field === $this->dialect->null ? null : $field;

                continue;
            }
            for ($close = $at + 1; ; $close += 2) {
                $close = strpos($text, $quote, $close);
                if ($close === false) {
                    return 'a quote is not closed';
                }
                if (($text[$close + 1] ?? '') !== $quote) {
                    break;
                }
            }
            $end = $close + 1;
            if ($end < $length && $text[$end] !== $delimiter) {
                return 'something follows a closing quote';
            }
            $fields[] = str_replace($quote.$quote, $quote, substr($text, $at + 1, $close - $at - 1));
        }

        return $fields;
    }
}
