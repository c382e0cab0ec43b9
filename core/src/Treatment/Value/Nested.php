<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment\Value;

use JsonException;

/** Nested values, in the text form of JSON (RFC 8259). */
final class Nested
{
    /** Numbers, outside of strings, that a decoder would turn into doubles. */
    private const INEXACT = '/"(?:[^"\\\\]|\\\\.)*+"(*SKIP)(*FAIL)|-?\d+(?:\.\d+(?:[eE][+-]?\d+)?|[eE][+-]?\d+)/s';

    /**
     * The value at a path such as `malt.0.kg`: what is not an object or a list is given as text, null as null; what is one as it is written.
     *
     * @throws Fault
     */
    public static function pick(?string $json, ?string $path): ?string
    {
        if ($json === null || $path === null) {
            return null;
        }
        $at = self::at(self::decoded($json, exact: true), $path);

        return is_array($at) ? (new JsonText($json))->at($path) : self::text($at);
    }

    private static function at(mixed $value, string $path): mixed
    {
        foreach (explode('.', $path) as $name) {
            if (! is_array($value) || ! array_key_exists($name, $value)) {
                return null;
            }
            $value = $value[$name];
        }

        return $value;
    }

    /**
     * The elements of a list, each as pick() gives it.
     *
     * @return list<string|null>
     *
     * @throws Fault
     */
    public static function elements(string $json): array
    {
        $list = self::decoded($json);
        if ($list === null) {
            return [];
        }
        if (! is_array($list) || ! array_is_list($list)) {
            throw Fault::because('not_a_list', 'the value is not a list');
        }
        $exact = (array) self::decoded($json, exact: true);

        $written = array_filter($list, is_array(...)) === [] ? [] : (new JsonText($json))->elements();

        return array_map(static fn (mixed $plain, mixed $text, int $n): ?string => is_array($plain) ? $written[$n] : self::text($text), $list, $exact, array_keys($list));
    }

    /**
     * What is left once some names are taken out of an object.
     *
     * @param  list<string>  $except
     */
    public static function rest(?string $json, array $except): ?string
    {
        if ($json === null) {
            return null;
        }
        self::decoded($json);
        $text = new JsonText($json);

        return $text->isObject() ? $text->without($except) : $json;
    }

    /**
     * @param  bool  $exact  whether numbers with a point, and very long ones, are given as the text they were written in
     *
     * @throws Fault where it is not JSON, or nested too deep
     */
    public static function decoded(string $json, bool $exact = false): mixed
    {
        // Many columns may be taken out of the same value, one after another.
        static $last = [null, null], $value = [null, null];
        $which = (int) $exact;
        if ($json === $last[$which]) {
            return $value[$which];
        }
        try {
            $text = $exact ? preg_replace(self::INEXACT, '"$0"', $json) ?? $json : $json;
            $value[$which] = json_decode($text, true, Limits::NESTING, JSON_THROW_ON_ERROR | JSON_BIGINT_AS_STRING);
        } catch (JsonException $e) {
            $last[$which] = null;
            throw match ($e->getCode()) {
                JSON_ERROR_DEPTH => Fault::because('too_deep', 'the value is nested deeper than '.Limits::NESTING.' levels'),
                JSON_ERROR_UTF8 => Fault::because('invalid_utf8', 'the value is not valid UTF-8'),
                default => Fault::because('not_json', 'the value is not JSON'),
            };
        }
        $last[$which] = $json;

        return $value[$which];
    }

    /** The same text, if it is JSON; blank text is null. */
    public static function valid(string $json): ?string
    {
        if (trim($json) === '') {
            return null;
        }
        self::decoded($json);

        return $json;
    }

    public static function text(mixed $value): ?string
    {
        return match (true) {
            $value === null => null,
            is_bool($value) => $value ? 't' : 'f',
            is_scalar($value) => (string) $value,
            default => self::encoded($value),
        };
    }

    private static function encoded(mixed $value): string
    {
        return json_encode($value, JSON_UNESCAPED_UNICODE | JSON_UNESCAPED_SLASHES | JSON_PRESERVE_ZERO_FRACTION | JSON_THROW_ON_ERROR, Limits::NESTING);
    }
}
