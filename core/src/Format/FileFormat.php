<?php

declare(strict_types=1);

namespace Lighterman\Core\Format;

/** The open formats that files are read in. */
enum FileFormat: string
{
    case Delimited = 'delimited';
    case JsonLines = 'jsonl';
    case Avro = 'avro';
    case Parquet = 'parquet';

    public function word(): string
    {
        return match ($this) {
            self::Delimited => 'Delimited text',
            self::JsonLines => 'JSON Lines',
            self::Avro => 'Avro',
            self::Parquet => 'Parquet',
        };
    }

    /** Whether records are lines of text, so that one that cannot be read leaves the others whole. */
    public function isText(): bool
    {
        return $this === self::Delimited || $this === self::JsonLines;
    }

    /** By the end of a file's name; null where it does not say. */
    public static function of(string $path): ?self
    {
        return match (strtolower(pathinfo(self::unpacked($path), PATHINFO_EXTENSION))) {
            'csv', 'tsv', 'psv', 'txt' => self::Delimited,
            'jsonl', 'ndjson', 'json' => self::JsonLines,
            'avro' => self::Avro,
            'parquet' => self::Parquet,
            default => null,
        };
    }

    public static function isPacked(string $path): bool
    {
        return str_ends_with(strtolower($path), '.gz');
    }

    /** A file's name without what says that it is packed. */
    public static function unpacked(string $path): string
    {
        return self::isPacked($path) ? substr($path, 0, -3) : $path;
    }
}
