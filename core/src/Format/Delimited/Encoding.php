<?php

declare(strict_types=1);

namespace Lighterman\Core\Format\Delimited;

use Generator;

/** Text of other encodings as UTF-8, piece by piece. */
final class Encoding
{
    /** Share of the bytes beyond ASCII that belong to characters of UTF-8, from which on a text is taken for it. */
    private const ENOUGH = 0.9;

    /**
     * @param  iterable<int, string>  $pieces
     * @return Generator<int, string>
     */
    public static function utf8(iterable $pieces, string $encoding): Generator
    {
        $rest = '';
        $first = true;
        foreach ($pieces as $piece) {
            $piece = $rest.$piece;
            $rest = '';
            if (str_starts_with($encoding, 'UTF-16')) {
                $cut = strlen($piece) - strlen($piece) % 2;
                // The first half of a pair waits for the second.
                $last = $cut >= 2 ? ord($piece[$encoding === 'UTF-16LE' ? $cut - 1 : $cut - 2]) : 0;
                $cut -= $last >= 0xD8 && $last <= 0xDB ? 2 : 0;
                [$piece, $rest] = [substr($piece, 0, $cut), substr($piece, $cut)];
            }
            if (str_starts_with($encoding, 'UTF-32')) {
                $cut = strlen($piece) - strlen($piece) % 4;
                [$piece, $rest] = [substr($piece, 0, $cut), substr($piece, $cut)];
            }
            $text = $encoding === 'UTF-8' ? $piece : (string) mb_convert_encoding($piece, 'UTF-8', $encoding);
            if ($first && $text !== '') {
                if ($encoding === 'UTF-8' && strlen($text) < 3) {
                    $rest = $text;

                    continue;
                }
                $text = str_starts_with($text, "\u{FEFF}") ? substr($text, 3) : $text;
                $first = false;
            }
            yield $text;
        }
        if ($rest !== '') {
            yield $encoding === 'UTF-8' ? $rest : (string) mb_convert_encoding($rest, 'UTF-8', $encoding);
        }
    }

    /** The encoding of a text, by its first bytes. */
    public static function of(string $sample): string
    {
        if (str_starts_with($sample, "\xFF\xFE\x00\x00")) {
            return 'UTF-32LE';
        }
        if (str_starts_with($sample, "\x00\x00\xFE\xFF")) {
            return 'UTF-32BE';
        }
        if (str_starts_with($sample, "\xFF\xFE")) {
            return 'UTF-16LE';
        }
        if (str_starts_with($sample, "\xFE\xFF")) {
            return 'UTF-16BE';
        }
        $zeros = array_count_values(array_map(static fn (int $at): int => $at % 2, array_keys(array_filter(str_split(substr($sample, 0, 4000)), static fn (string $b): bool => $b === "\0"))));
        if (array_sum($zeros) > min(strlen($sample), 4000) / 4) {
            return ($zeros[1] ?? 0) > ($zeros[0] ?? 0) ? 'UTF-16LE' : 'UTF-16BE';
        }
        // A sample may end in the middle of a character.
        for ($cut = 0; $cut < 4; $cut++) {
            if (mb_check_encoding($cut === 0 ? $sample : substr($sample, 0, -$cut), 'UTF-8')) {
                return 'UTF-8';
            }
        }

        // One bad byte does not make another encoding of a text: what counts is how much of it beyond ASCII fits.
        $fits = preg_match_all('/[\xC2-\xDF][\x80-\xBF]|[\xE0-\xEF][\x80-\xBF]{2}|[\xF0-\xF4][\x80-\xBF]{3}/', $sample, $found);
        $high = preg_match_all('/[\x80-\xFF]/', $sample);

        return $fits > 0 && array_sum(array_map(strlen(...), $found[0])) >= self::ENOUGH * $high ? 'UTF-8' : 'Windows-1252';
    }
}
