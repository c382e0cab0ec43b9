<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Lake;

use FilesystemIterator;
use Lighterman\Connectors\Engine\Engine;
use Lighterman\Connectors\Engine\EngineError;
use Lighterman\Connectors\Engine\TypeMap;
use Lighterman\Core\Format\FileFormat;
use Lighterman\Core\Format\UnfitValue;
use Lighterman\Core\Landing\LandedTable;
use Lighterman\Core\Landing\Partition;
use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Trouble\LandedTrouble;
use Lighterman\Core\Trouble\StatementTrouble;
use Lighterman\Core\Trouble\SystemTrouble;
use RecursiveDirectoryIterator;
use RecursiveIteratorIterator;
use SplFileInfo;

/** Makes files of what queries give, in the folders and the format of one table, and puts them in their place. */
final class DataFileMaker
{
    private string $prefix = '';

    private int $sequence = 0;

    private int $era = 0;

    private int $files = 0;

    /** @var array<string, true> names of files that have not been handed over */
    private array $placed = [];

    /**
     * @param  string  $work  absolute folder for files that are being made
     * @param  int  $number  tells the tables of a feed apart
     */
    public function __construct(private readonly Folder $folder, private readonly Engine $engine, private readonly LandedTable $landed, private readonly string $work, private readonly int $number)
    {
    }

    /**
     * @param  string  $prefix  that no other delivery's files have
     * @param  int  $era  of the table, counted from 0
     */
    public function begin(int $sequence, string $prefix, int $era): void
    {
        [$this->sequence, $this->prefix, $this->era, $this->files] = [$sequence, $prefix, $era, 0];
    }

    /**
     * Whoever takes the files makes them count, or takes them away.
     *
     * @return array<string, true> names of all files made, those that were joined at once too
     */
    public function handOver(): array
    {
        [$placed, $this->placed] = [$this->placed, []];

        return $placed;
    }

    /**
     * Writes what a query gives to files of the table.
     *
     * @return list<DataFile>
     *
     * @throws SystemTrouble
     */
    public function make(string $select): array
    {
        $parts = array_combine(array_map(static fn (Partition $p): string => $p->name(), $this->landed->as->partitionBy), array_map(static fn (Partition $p): string => self::partValue($p), $this->landed->as->partitionBy));
        $made = "{$this->work}/made-{$this->number}";
        is_dir($made) || mkdir($made, 0777, true);
        $name = "{$this->prefix}-{$this->number}-{$this->files}";
        $this->files++;
        try {
            return $this->placed($made, $this->landed->as->writing->format === FileFormat::Parquet ? $this->parquet($select, $parts, $made, $name) : $this->rowByRow($select, $parts, $made, $name));
        } catch (EngineError $e) {
            throw $this->trouble($e->getMessage());
        } catch (UnfitValue $e) {
            throw $this->trouble("Conversion Error: {$e->getMessage()}");
        }
    }

    /**
     * @param  array<string, string>  $parts  expressions of the engine, by the name of the partition
     * @return array<string, int> rows of the files that were made, by their path
     */
    private function parquet(string $select, array $parts, string $made, string $name): array
    {
        $packed = ['zstd' => 'zstd', 'snappy' => 'snappy', 'none' => 'uncompressed'][$this->landed->as->writing->packed];
        $options = "FORMAT parquet, COMPRESSION {$packed}, ROW_GROUP_SIZE {$this->landed->as->writing->groupRows}";
        if ($parts === []) {
            $this->engine->run("COPY ({$select}) TO ".Engine::literal("{$made}/{$name}.parquet")." ({$options})");
        } else {
            // A column that parts is in the files too, so that they say everything by themselves; a part of a date is not.
            [$derived, $by] = self::derived($parts);
            $this->engine->run("COPY (SELECT *, {$derived} FROM ({$select})) TO ".Engine::literal($made)." ({$options}, PARTITION_BY ({$by}), FILENAME_PATTERN ".Engine::literal("{$name}-{i}").', OVERWRITE_OR_IGNORE true)');
        }
        $paths = self::below($made);
        $rows = [];
        foreach ($paths === [] ? [] : $this->engine->rows('SELECT file_name, num_rows FROM parquet_file_metadata(['.implode(', ', array_map(Engine::literal(...), $paths)).'])') as $file) {
            $rows[(string) $file['file_name']] = (int) $file['num_rows'];
        }

        return $rows;
    }

    /**
     * @param  array<string, string>  $parts  expressions of the engine, by the name of the partition
     * @return array<string, int> rows of the files that were made, by their path
     */
    private function rowByRow(string $select, array $parts, string $made, string $name): array
    {
        $columns = $this->landed->columns();
        $texts = implode(', ', array_map(static fn (Column $c): string => TypeMap::text(Engine::name($c->name), $c->type).' AS '.Engine::name($c->name), $columns));
        [$derived, $by] = self::derived($parts);
        $files = new Made($made, $name, $this->landed->as->writing, new Shape($columns), $this->landed->name->name, $this->landed->as->writing->isSingle());
        $folders = array_map(static fn (string $p): string => rawurlencode($p).'=', array_keys($parts));
        foreach ($this->engine->query($parts === [] ? "SELECT {$texts} FROM ({$select})" : "SELECT {$texts}, {$by} FROM (SELECT *, {$derived} FROM ({$select})) ORDER BY {$by}") as $row) {
            $values = array_values($row);
            $files->add(implode('/', array_map(static fn (string $f, ?string $v): string => $f.($v === null ? DataFile::NONE : rawurlencode($v)), $folders, array_slice($values, count($columns)))), array_slice($values, 0, count($columns)));
        }

        return $files->finish();
    }

    /**
     * @param  array<string, string>  $parts
     * @return array{string, string} the partitions' values, and their names
     */
    private static function derived(array $parts): array
    {
        $alias = static fn (string $n): string => Engine::name("lm part {$n}");

        return [implode(', ', array_map(static fn (string $n, string $value): string => "{$value} AS {$alias($n)}", array_keys($parts), $parts)), implode(', ', array_map($alias, array_keys($parts)))];
    }

    /**
     * @param  array<string, int>  $rows  of the files that were made, by their path
     * @return list<DataFile>
     */
    private function placed(string $made, array $rows): array
    {
        ksort($rows);
        $files = [];
        foreach ($rows as $path => $count) {
            if ($count > 0) {
                $below = str_replace('lm%20part%20', '', substr($path, strlen($made) + 1));
                $name = "{$this->landed->name->schema}/{$this->landed->name->name}/{$below}";
                $files[] = new DataFile($name, $count, (int) filesize($path), DataFile::partitionOf($below), $this->sequence, $this->era);
                $this->placed[$name] = true;
                $this->folder->place($path, $name, $this->engine->alive);
            } else {
                unlink($path);
            }
        }

        return $files;
    }

    /** @return list<string> absolute paths of the files below a folder */
    private static function below(string $path): array
    {
        $paths = [];
        /** @var SplFileInfo $file */
        foreach (new RecursiveIteratorIterator(new RecursiveDirectoryIterator($path, FilesystemIterator::SKIP_DOTS)) as $file) {
            $paths[] = $file->getPathname();
        }

        return $paths;
    }

    private static function partValue(Partition $partition): string
    {
        $column = Engine::name($partition->column);

        return match ($partition->part) {
            'year' => "strftime({$column}, '%Y')",
            'month' => "strftime({$column}, '%Y-%m')",
            'day' => "strftime({$column}, '%Y-%m-%d')",
            null => "CAST({$column} AS VARCHAR)",
        };
    }

    private function trouble(string $said): SystemTrouble
    {
        return match (true) {
            str_contains($said, 'No space left') => StatementTrouble::diskFull((string) $this->landed->name, "{$this->landed->name}: the disk of the lake is full", 'the lake'),
            str_starts_with($said, 'Out of Memory') => StatementTrouble::outOfMemory((string) $this->landed->name, "{$this->landed->name}: the engine's memory does not suffice ({$said})", 'Give it more (LIGHTERMAN_LAKE_MEMORY_MB, 160 unless said), or leave columns out: each needs about 0.2 MB.'),
            str_starts_with($said, 'Conversion Error') => LandedTrouble::unfitValue($this->landed->name, $said),
            default => StatementTrouble::refused((string) $this->landed->name, "{$this->landed->name}: ".rtrim($said, '.')),
        };
    }
}
