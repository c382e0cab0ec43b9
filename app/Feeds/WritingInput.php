<?php

declare(strict_types=1);

namespace App\Feeds;

use Lighterman\Core\Format\FileFormat;
use Lighterman\Core\Landing\FileWriting;

/** Reads the fields that say how landed files are written. */
final readonly class WritingInput
{
    public const FIELDS = ['as_format', 'as_packed', 'as_delimiter', 'as_decimal', 'as_null', 'as_header', 'as_group_rows', 'as_rows', 'as_megabytes', 'as_seconds', 'as_fixed_name'];

    private const NUMBERS = ['as_group_rows', 'as_rows', 'as_megabytes', 'as_seconds'];

    /**
     * @param  array<string, mixed>  $typed
     * @return array<string, mixed> in the words of a definition file; what was left empty is not said
     */
    public static function read(array $typed): array
    {
        $text = static fn (string $field): string => trim((string) ($typed[$field] ?? ''));
        $said = array_filter(['format' => $text('as_format'), 'packed' => $text('as_packed'), 'fixed_name' => $text('as_fixed_name')], static fn (string $v): bool => $v !== '');
        if ($text('as_format') === FileFormat::Delimited->value) {
            $said += array_filter(['delimiter' => $text('as_delimiter') === 'tab' ? "\t" : $text('as_delimiter'), 'decimal' => $text('as_decimal'), 'null' => $text('as_null')], static fn (string $v): bool => $v !== '') + ($text('as_header') === 'no' ? ['header' => false] : []);
        }
        foreach (self::NUMBERS as $field) {
            // What is no number is out of every bounds, and said so.
            $said += $text($field) === '' ? [] : [substr($field, 3) => ctype_digit(str_replace([',', ' '], '', $text($field))) ? (int) str_replace([',', ' '], '', $text($field)) : -1];
        }

        return $said;
    }

    /** @return array<string, string> what would have to be typed for it */
    public static function typed(FileWriting $writing): array
    {
        $said = $writing->toArray();
        $typed = [];
        foreach (self::FIELDS as $field) {
            $value = $said[substr($field, 3)] ?? '';
            $typed[$field] = match (true) {
                $value === "\t" => 'tab', $value === false => 'no', $value === true => '', default => (string) $value,
            };
        }

        return $typed;
    }
}
