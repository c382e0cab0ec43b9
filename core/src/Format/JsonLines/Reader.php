<?php

declare(strict_types=1);

namespace Lighterman\Core\Format\JsonLines;

use Generator;
use JsonException;

/**
 * Reads JSON Lines: an object to a line; or one array of objects, which then count as its lines. Values come as text, nested ones as JSON; a line that is no object is told with its
 * number, and the rest read on.
 *
 * @see https://jsonlines.org
 */
final readonly class Reader
{
    /** A line is not longer than this, bytes. */
    private const LONGEST = 16 << 20;

    private const DEPTH = 128;

    /** What a column is called whose name in the file is empty. */
    private const UNNAMED = 'unnamed';

    /** @param  iterable<int, string>  $pieces  of the file, in order, of any length */
    public function __construct(private iterable $pieces)
    {
    }

    /** @return Generator<int, array<string, string|null>|string> by number of the line, from 1: the values by name, or what is wrong */
    public function lines(): Generator
    {
        foreach ($this->texts() as $number => $text) {
            if (trim($text) !== '') {
                yield $number => self::values($text);
            }
        }
    }

    /**
     * The objects with the kind of each value: boolean, number, text, nested or null. Lines that are none are passed over.
     *
     * @return Generator<int, array<array-key, array{string, string|null}>>
     */
    public function typed(): Generator
    {
        foreach ($this->texts() as $text) {
            $object = self::object($text);
            if ($object instanceof \stdClass) {
                $values = self::read($object, $text);
                $typed = [];
                foreach (get_object_vars($object) as $name => $value) {
                    $typed[$name] = [match (true) {
                        $value === null => 'null', is_bool($value) => 'boolean', is_array($value), is_object($value) => 'nested',
                        is_string($value) => 'text', default => 'number',
                    }, $values[$name]];
                }
                yield $typed;
            }
        }
    }

    /**
     * @return array<string, string|null>|string what is wrong
     */
    private static function values(string $text): array|string
    {
        $object = self::object($text);

        return is_string($object) ? $object : self::read($object, $text);
    }

    /** @return \stdClass|string what is wrong */
    private static function object(string $text): \stdClass|string
    {
        if (strlen($text) > self::LONGEST) {
            return 'it is longer than '.(self::LONGEST >> 20).' MB';
        }
        try {
            // Whole numbers beyond 64 bits keep their digits.
            $object = json_decode($text, false, self::DEPTH, JSON_THROW_ON_ERROR | JSON_BIGINT_AS_STRING);
        } catch (JsonException $e) {
            return 'it is not JSON ('.lcfirst($e->getMessage()).')';
        }

        if (! $object instanceof \stdClass) {
            return 'it is no object';
        }
        if (property_exists($object, '')) {
            if (property_exists($object, self::UNNAMED)) {
                return 'it has an empty name beside '.self::UNNAMED.', as which it would land';
            }
            $object = (object) array_combine(array_map(static fn (int|string $n): string => self::name((string) $n), array_keys((array) $object)), array_values((array) $object));
        }

        return $object;
    }

    private static function name(string $written): string
    {
        return $written === '' ? self::UNNAMED : $written;
    }

    /** @return array<string, string|null> */
    private static function read(\stdClass $object, string $text): array
    {
        $exact = self::fractions($text);
        $values = [];
        foreach (get_object_vars($object) as $name => $value) {
            $values[(string) $name] = match (true) {
                $value === null => null,
                is_bool($value) => $value ? 'true' : 'false',
                is_float($value) => $exact[$name] ?? json_encode($value, JSON_THROW_ON_ERROR),
                is_scalar($value) => (string) $value,
                default => json_encode($value, JSON_THROW_ON_ERROR | JSON_UNESCAPED_UNICODE | JSON_UNESCAPED_SLASHES | JSON_PRESERVE_ZERO_FRACTION),
            };
        }

        return $values;
    }

    /**
     * Fractions as they are written: as floating-point numbers they would lose digits.
     *
     * @return array<string, string>
     */
    private static function fractions(string $text): array
    {
        if (! str_contains($text, '.') && stripos($text, 'e') === false) {
            return [];
        }
        $found = [];
        $depth = 0;
        preg_match_all('/"(?:[^"\\\\]|\\\\.)*+"|-?\d++(?:\.\d++)?+(?:[eE][+-]?\d++)?+|[{}\[\]:,]/', $text, $tokens);
        foreach ($tokens[0] as $i => $token) {
            $depth += match ($token) {
                '{', '[' => 1, '}', ']' => -1, default => 0,
            };
            if ($depth === 1 && $token === ':' && is_numeric($tokens[0][$i + 1] ?? '')) {
                $found[self::name((string) json_decode($tokens[0][$i - 1]))] = $tokens[0][$i + 1];
            }
        }

        return $found;
    }

    /** @return Generator<int, string> */
    private function texts(): Generator
    {
        $pieces = (static fn (iterable $p): Generator => yield from $p)($this->pieces);
        $head = '';
        // A mark of the byte order, and blanks, may stand before what begins.
        while ($pieces->valid() && (strlen($head) < 4 || (ltrim(self::unmarked($head)) === '' && strlen($head) < 4096))) {
            $head .= $pieces->current();
            $pieces->next();
        }
        $rest = (static function () use ($head, $pieces): Generator {
            yield self::unmarked($head);
            while ($pieces->valid()) {
                yield $pieces->current();
                $pieces->next();
            }
        })();

        return str_starts_with(ltrim(self::unmarked($head)), '[') ? self::elements($rest) : self::ofLines($rest);
    }

    private static function unmarked(string $text): string
    {
        return str_starts_with($text, "\u{FEFF}") ? substr($text, 3) : $text;
    }

    /**
     * @param  iterable<int, string>  $pieces
     * @return Generator<int, string>
     */
    private static function ofLines(iterable $pieces): Generator
    {
        $number = 0;
        $rest = '';
        foreach ($pieces as $piece) {
            $lines = explode("\n", $rest.$piece);
            $rest = (string) array_pop($lines);
            foreach ($lines as $line) {
                yield ++$number => $line;
            }
        }
        if ($rest !== '') {
            yield ++$number => $rest;
        }
    }

    /**
     * The elements of one array, which may stand on a line or on many.
     *
     * @param  iterable<int, string>  $pieces
     * @return Generator<int, string>
     */
    private static function elements(iterable $pieces): Generator
    {
        $number = $depth = 0;
        $element = '';
        $inText = $escaped = false;
        foreach ($pieces as $piece) {
            for ($at = 0, $size = strlen($piece); $at < $size; $at++) {
                $c = $piece[$at];
                if ($inText) {
                    // To the next character that means something.
                    $plain = $escaped ? 0 : strcspn($piece, '"\\', $at);
                    $element .= substr($piece, $at, $plain);
                    $at += $plain;
                    if ($at >= $size) {
                        break;
                    }
                    $c = $piece[$at];
                    $element .= $c;
                    $inText = $escaped || $c !== '"';
                    $escaped = ! $escaped && $c === '\\';

                    continue;
                }
                $depth += match ($c) {
                    '{', '[' => 1, '}', ']' => -1, default => 0,
                };
                $between = $depth === 0 || ($depth === 1 && ($c === ',' || ($c === '[' && $element === '' && $number === 0)));
                if (! $between) {
                    $element .= $c;
                    $inText = $c === '"';
                } elseif (trim($element) !== '' && ($c === ',' || $depth === 0)) {
                    yield ++$number => trim($element);
                    $element = '';
                }
                if (strlen($element) > self::LONGEST) {
                    yield ++$number => $element;

                    return;
                }
            }
        }
        if (trim($element) !== '') {
            yield ++$number => trim($element);
        }
    }
}
