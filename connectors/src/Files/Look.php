<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Files;

use Closure;
use InvalidArgumentException;
use Lighterman\Connectors\Engine\Engine;
use Lighterman\Core\Capture\FileFacts;
use Lighterman\Core\Capture\FilePattern;
use Lighterman\Core\Capture\FileReading;
use Lighterman\Core\Capture\FilesFound;
use Lighterman\Core\Format\Avro\MalformedAvro;
use Lighterman\Core\Format\Avro\Reader as AvroReader;
use Lighterman\Core\Format\Delimited\Detection;
use Lighterman\Core\Format\Delimited\Dialect;
use Lighterman\Core\Format\Delimited\Reader as DelimitedReader;
use Lighterman\Core\Format\FileFormat;
use Lighterman\Core\Format\Guess;
use Lighterman\Core\Format\JsonLines\Detection as JsonDetection;
use Lighterman\Core\Format\JsonLines\Reader as JsonReader;
use Lighterman\Core\Port\BrokenFile;
use Lighterman\Core\Position\FileMark;
use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Shape\Type;
use Lighterman\Core\Shape\TypeKind;
use Lighterman\Core\Trouble\FileTrouble;
use Lighterman\Core\Trouble\InvalidDefinition;
use Lighterman\Core\Trouble\MissingTrouble;
use Lighterman\Core\Trouble\SystemTrouble;

/** Finds out how the files that a pattern means are written, by the newest of them. */
final readonly class Look
{
    /** Bytes of the file that are looked at. */
    private const SAMPLE = 1 << 20;

    private const VALUES = 5;

    /** Columns that a file may have. */
    private const COLUMNS = 2000;

    /** Files that are looked at until one is whole. */
    private const TRIES = 3;

    /** @param  Closure(): Engine  $engines */
    public function __construct(private Store $store, private Closure $engines)
    {
    }

    /**
     * @param  array<string, mixed>  $said  what a person says, in the words of a definition; the rest is found out
     * @param  int  $sample  bytes of the file that are looked at
     *
     * @throws SystemTrouble if there is no file, or none that can be read
     * @throws InvalidDefinition
     */
    public function at(FilePattern $pattern, array $said = [], int $sample = self::SAMPLE): FileFacts
    {
        $files = $bytes = 0;
        $newest = [];
        $folders = array_fill_keys($pattern->columns(), []);
        foreach ($this->store->files($pattern) as $file) {
            $files++;
            $bytes += $file->size;
            $newest = self::newest([...$newest, $file]);
            foreach ($files > 10_000 ? [] : array_combine($pattern->columns(), $pattern->values($file->path)) as $column => $value) {
                $folders[$column][] = $value;
            }
        }
        if ($newest === []) {
            throw MissingTrouble::file($pattern->text, "No file fits {$pattern->text}.", 'Look at the pattern, or come back once there is one: how files are read is found out from the newest.');
        }
        [$looked, [$format, $dialect, $columns, $evidence, $samples]] = $this->whole($newest, $said, $sample);
        $dates = [];
        foreach ($columns as $column) {
            $dates += $column['format'] === null ? [] : [$column['name'] => $column['format']];
        }
        foreach ($folders as $name => $values) {
            $guess = Guess::type($values, '.');
            // A date that is written otherwise is left as its folder says it.
            $columns[] = ['name' => (string) $name, 'type' => $guess['format'] === null ? $guess['type'] : Type::of(TypeKind::Text), 'evidence' => "{$guess['evidence']} folders"];
            $samples[$name] = array_slice(array_values(array_unique($values)), 0, self::VALUES);
        }

        return $this->told($said, $format, $dialect, $dates, $columns, $evidence, $samples, $files, $bytes, $looked);
    }

    /**
     * @param  list<FileMark>  $files
     * @return list<FileMark> the newest of them, the very newest first; those that hold something before empty ones
     */
    private static function newest(array $files): array
    {
        usort($files, static fn (FileMark $a, FileMark $b): int => [$b->size > 0, $b->modified, $b->path] <=> [$a->size > 0, $a->modified, $a->path]);

        return array_slice($files, 0, self::TRIES);
    }

    /**
     * @param  non-empty-list<FileMark>  $newest
     * @param  array<string, mixed>  $said
     * @return array{FileMark, array{FileFormat, Dialect|null, list<array{name: string, type: Type, format: string|null, evidence: string}>, array<string, string>, array<string, list<string|null>>}} the first that is whole
     *
     * @throws SystemTrouble if none is
     */
    private function whole(array $newest, array $said, int $sample): array
    {
        $broken = null;
        foreach ($newest as $file) {
            try {
                return [$file, $this->file($file, $said, $sample)];
            } catch (BrokenFile $e) {
                $broken ??= $e;
            }
        }
        throw FileTrouble::broken($broken->path, $broken->getMessage(), (string) $broken->remedy());
    }

    /**
     * @param  array<string, mixed>  $said
     * @param  array<string, string>  $dates
     * @param  list<array{name: string, type: Type, evidence: string}>  $columns
     * @param  array<string, string>  $evidence
     * @param  array<string, list<string|null>>  $samples
     */
    private function told(array $said, FileFormat $format, ?Dialect $dialect, array $dates, array $columns, array $evidence, array $samples, int $files, int $bytes, FileMark $newest): FileFacts
    {
        try {
            $reading = FileReading::fromArray(['format' => $format->value, 'dates' => array_merge($dates, $said['dates'] ?? [])] + ($dialect?->toArray() ?? []) + array_intersect_key($said, array_flip(['changed', 'checksum', 'quiet_seconds', 'fit', 'file_column', 'line_column'])));
            $typed = array_map(Type::parse(...), $said['types'] ?? []);
        } catch (InvalidArgumentException $e) {
            throw InvalidDefinition::at('files', rtrim(lcfirst($e->getMessage()), '.'), 'Change it, then try again.');
        }
        $names = array_column($columns, 'name');
        foreach (array_diff(array_keys($typed), $names) as $unknown) {
            throw InvalidDefinition::at('files: types', "the files have no column \"{$unknown}\"", 'Their columns are '.implode(', ', $names).'.');
        }
        $all = array_map(static fn (array $c): Column => new Column($c['name'], $typed[$c['name']] ?? $c['type']), $columns);
        // How a date is written matters only where it is read as one.
        $kinds = array_column(array_map(static fn (Column $c): array => [$c->name, $c->type->kind], $all), 1, 0);
        $reading = FileReading::fromArray(['dates' => array_filter($reading->dates, static fn (string $c): bool => ($kinds[$c] ?? null) === TypeKind::Date, ARRAY_FILTER_USE_KEY)] + $reading->toArray());
        if ($reading->own->file !== null) {
            $all[] = new Column($reading->own->file, Type::of(TypeKind::Text), false, 'path of the file');
        }
        if ($reading->own->line !== null) {
            $all[] = new Column($reading->own->line, Type::of(TypeKind::Int64), false, $format->isText() ? 'line in the file, from 1' : 'row in the file, from 1');
        }
        $twice = array_keys(array_filter(array_count_values(array_map(static fn (Column $c): string => $c->name, $all)), static fn (int $n): bool => $n > 1));
        if ($twice !== []) {
            throw FileTrouble::sameNames($newest->path, (string) $twice[0]);
        }
        $why = array_column(array_map(static fn (array $c): array => [$c['name'], isset($typed[$c['name']]) ? 'as you say; '.$c['evidence'] : $c['evidence']], $columns), 1, 0);

        return new FileFacts($reading, new Shape($all), $evidence, $why, $samples, array_column($columns, 'type', 'name'), new FilesFound($files, $bytes, $newest));
    }

    private static function demandFew(string $path, int $columns): void
    {
        $columns <= self::COLUMNS || throw BrokenFile::at($path, 'it has more than '.number_format(self::COLUMNS).' columns');
    }

    /**
     * How one file is written: its format, dialect, columns, the evidence for these, and some values.
     *
     * @param  array<string, mixed>  $said
     * @return array{FileFormat, Dialect|null, list<array{name: string, type: Type, format: string|null, evidence: string}>, array<string, string>, array<string, list<string|null>>}
     */
    public function file(FileMark $file, array $said, int $sample): array
    {
        $format = FileFormat::tryFrom((string) ($said['format'] ?? '')) ?? FileFormat::of($file->path) ?? $this->byBytes($file);
        $evidence = ['format' => isset($said['format']) ? 'as you say' : (FileFormat::of($file->path) === null ? 'by its first bytes' : 'by its name')];
        switch ($format) {
            case FileFormat::Delimited:
                $head = $this->store->head($file->path, $sample);
                self::demandFew($file->path, max(array_map(static fn (string $d): int => substr_count(substr($head, 0, strcspn($head, "\r\n")), $d), array_keys(Dialect::DELIMITERS))) + 1);
                $found = Detection::in(strlen($head) < $sample && ! str_ends_with($head, "\n") ? "{$head}\n" : $head, $said);
                $rows = [];
                foreach ((new DelimitedReader([$head], $found->dialect))->lines() as $line) {
                    $rows[] = $line->fields;
                    if (count($rows) === self::VALUES) {
                        break;
                    }
                }

                return [$format, $found->dialect, $found->columns, $evidence + $found->evidence, self::byColumn(array_column($found->columns, 'name'), $rows)];
            case FileFormat::JsonLines:
                $head = $this->store->head($file->path, $sample);
                $head = strlen($head) < $sample && ! str_ends_with($head, "\n") ? "{$head}\n" : $head;
                $columns = JsonDetection::in($head)->columns;
                self::demandFew($file->path, count($columns));
                $rows = [];
                foreach ((new JsonReader([$head]))->lines() as $values) {
                    $rows[] = array_map(static fn (array $c): ?string => is_array($values) ? $values[$c['name']] ?? null : null, $columns);
                    if (count($rows) === self::VALUES) {
                        break;
                    }
                }

                return [$format, null, $columns, $evidence, self::byColumn(array_column($columns, 'name'), $rows)];
            case FileFormat::Avro:
                try {
                    $avro = new AvroReader($this->store->pieces($file->path));

                    [$columns, $samples] = self::described($avro->shape(), $avro->rows());

                    return [$format, null, $columns, $evidence, $samples];
                } catch (MalformedAvro $e) {
                    throw BrokenFile::at($file->path, lcfirst(rtrim($e->getMessage(), '.')));
                }
            case FileFormat::Parquet:
                $engine = ($this->engines)();
                try {
                    $parquet = new ParquetFile($engine, $file->path, $this->store->place($file->path));
                    $shape = $parquet->shape();
                    [$columns, $samples] = self::described($shape, $parquet->rows($shape));

                    return [$format, null, $columns, $evidence, $samples];
                } finally {
                    $engine->close();
                }
        }
    }

    /** A file whose name does not say its format. */
    private function byBytes(FileMark $file): FileFormat
    {
        $head = $this->store->head($file->path, 4096);

        return match (true) {
            str_starts_with($head, "Obj\x01") => FileFormat::Avro,
            str_starts_with($head, 'PAR1') => FileFormat::Parquet,
            preg_match('/^(\x{FEFF})?\s*(\{|\[\s*\{)/u', mb_scrub($head, 'UTF-8')) === 1 => FileFormat::JsonLines,
            default => FileFormat::Delimited,
        };
    }

    /**
     * Columns that a file describes itself, with some values.
     *
     * @param  iterable<mixed, list<string|null>>  $rows
     * @return array{list<array{name: string, type: Type, format: null, evidence: string}>, array<string, list<string|null>>}
     */
    private static function described(Shape $shape, iterable $rows): array
    {
        $some = [];
        foreach ($rows as $row) {
            $some[] = $row;
            if (count($some) === self::VALUES) {
                break;
            }
        }

        return [array_map(static fn (Column $c): array => ['name' => $c->name, 'type' => $c->type, 'format' => null, 'evidence' => 'as the file says'], $shape->columns), self::byColumn($shape->names(), $some)];
    }

    /**
     * @param  list<string>  $names
     * @param  list<list<string|null>>  $rows
     * @return array<string, list<string|null>>
     */
    private static function byColumn(array $names, array $rows): array
    {
        $by = array_fill_keys($names, []);
        foreach ($names as $i => $name) {
            foreach ($rows as $row) {
                $by[$name][] = $row[$i] ?? null;
            }
        }

        return $by;
    }
}
