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
use Lighterman\Core\Trouble\SystemTrouble;
use RecursiveDirectoryIterator;
use RecursiveIteratorIterator;
use SplFileInfo;

/** Makes files of what queries give, in the folders and the format of one table, and puts them in their place. */
final class DataFileMaker
{
    /** Partitions that are written at once. */
    private const AT_ONCE = 50;

    /** Columns beyond which a row is wide. */
    public const WIDE = 50;

    /** The fewest rows of a group that the engine writes. */
    private const FEWEST = 2048;

    /** Bytes of a folder's name, as file systems have it. */
    private const LONGEST = 255;

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
     * @throws EngineError|UnfitValue|SystemTrouble
     */
    public function make(string $select): array
    {
        $made = "{$this->work}/made-{$this->number}";
        is_dir($made) || mkdir($made, 0777, true);
        $name = "{$this->prefix}-{$this->number}-{$this->files}";
        $this->files++;

        return $this->placed(match (true) {
            $this->landed->as->writing->format !== FileFormat::Parquet => $this->rowByRow($select, $made, $name),
            $this->landed->as->partitionBy === [] => $this->parquet($select, $made, $name),
            default => $this->parted($select, $made, $name),
        });
    }

    /** @return list<array{path: string, rows: int, below: string}> the files that were made, and where they belong below the table's folder */
    private function parquet(string $select, string $made, string $name): array
    {
        $this->engine->run("COPY ({$select}) TO ".Engine::literal("{$made}/{$name}.parquet")." ({$this->options()})");

        return $this->counted($made, static fn (string $below): string => $below);
    }

    /**
     * The engine parts by numbers, for its own names of folders do not tell every value from every other; and a few at a time,
     * for it has a writer open for each.
     *
     * @return list<array{path: string, rows: int, below: string}>
     */
    private function parted(string $select, string $made, string $name): array
    {
        // A column that parts is in the files too, so that they say everything by themselves; a part of a date is not.
        [$derived, $by] = $this->derived();
        [$rows, $parts] = ["rows_{$this->number}", "parts_{$this->number}"];
        $this->engine->run("CREATE OR REPLACE TEMP TABLE {$rows} AS SELECT *, {$derived} FROM ({$select})");
        $this->engine->run("CREATE OR REPLACE TEMP TABLE {$parts} AS SELECT row_number() OVER (ORDER BY {$by}) AS lm_part, {$by} FROM (SELECT DISTINCT {$by} FROM {$rows})");
        $folders = [];
        foreach ($this->engine->query("SELECT * FROM {$parts}") as $part) {
            $folders[(int) array_shift($part)] = $this->folder(array_values($part));
        }
        $same = implode(' AND ', array_map(static fn (string $p): string => "r.{$p} IS NOT DISTINCT FROM p.{$p}", explode(', ', $by)));
        $numbered = "SELECT r.* EXCLUDE ({$by}), lm_part FROM {$rows} r JOIN {$parts} p ON {$same}";
        if (count($folders) > self::AT_ONCE) {
            // In their order, so that what a few need lies together.
            $this->engine->run("CREATE OR REPLACE TEMP TABLE {$rows} AS {$numbered} ORDER BY lm_part");
            $numbered = "SELECT * FROM {$rows}";
        }
        for ($first = 1; $first <= count($folders); $first += self::AT_ONCE) {
            $this->engine->run("COPY (SELECT * FROM ({$numbered}) WHERE lm_part BETWEEN {$first} AND ".($first + self::AT_ONCE - 1).') TO '.Engine::literal($made)." ({$this->options()}, PARTITION_BY (lm_part), FILENAME_PATTERN ".Engine::literal("{$name}-{i}").', OVERWRITE_OR_IGNORE true)');
        }
        $this->engine->run("DROP TABLE {$rows}");

        return $this->counted($made, static fn (string $below): string => $folders[(int) substr(dirname($below), strlen('lm_part='))].'/'.basename($below));
    }

    private function options(): string
    {
        $packed = ['zstd' => 'zstd', 'snappy' => 'snappy', 'none' => 'uncompressed'][$this->landed->as->writing->packed];

        $columns = count($this->landed->columns());
        // The engine holds a group of rows in its memory whole, so that wide ones have to be few.
        $rows = $columns <= self::WIDE ? $this->landed->as->writing->groupRows : min($this->landed->as->writing->groupRows, max(self::FEWEST, intdiv(1_000_000, $columns)));

        return "FORMAT parquet, COMPRESSION {$packed}, ROW_GROUP_SIZE {$rows}";
    }

    /**
     * @param  callable(string): string  $belongs  where a file belongs below the table's folder, by where it was made
     * @return list<array{path: string, rows: int, below: string}>
     */
    private function counted(string $made, callable $belongs): array
    {
        $files = [];
        foreach (array_chunk(self::below($made), 500) as $paths) {
            foreach ($this->engine->rows('SELECT file_name, num_rows FROM parquet_file_metadata(['.implode(', ', array_map(Engine::literal(...), $paths)).'])') as $file) {
                $files[] = ['path' => (string) $file['file_name'], 'rows' => (int) $file['num_rows'], 'below' => $belongs(substr((string) $file['file_name'], strlen($made) + 1))];
            }
        }

        return $files;
    }

    /** @return list<array{path: string, rows: int, below: string}> */
    private function rowByRow(string $select, string $made, string $name): array
    {
        $columns = $this->landed->columns();
        $texts = implode(', ', array_map(static fn (Column $c): string => TypeMap::text(Engine::name($c->name), $c->type).' AS '.Engine::name($c->name), $columns));
        [$derived, $by] = $this->derived();
        $files = new Made($made, $name, $this->landed->as->writing, new Shape($columns), $this->landed->name->name, $this->landed->as->writing->isSingle());
        foreach ($this->engine->query($by === '' ? "SELECT {$texts} FROM ({$select})" : "SELECT {$texts}, {$by} FROM (SELECT *, {$derived} FROM ({$select})) ORDER BY {$by}") as $row) {
            $values = array_values($row);
            $files->add($this->folder(array_slice($values, count($columns))), array_slice($values, 0, count($columns)));
        }
        $done = [];
        foreach ($files->finish() as $path => $rows) {
            $done[] = ['path' => $path, 'rows' => $rows, 'below' => substr($path, strlen($made) + 1)];
        }

        return $done;
    }

    /** @return array{string, string} the partitions' values as text, and their names; empty where there are none */
    private function derived(): array
    {
        $alias = static fn (Partition $p): string => Engine::name("lm part {$p->name()}");

        return [implode(', ', array_map(static fn (Partition $p): string => self::partValue($p).' AS '.$alias($p), $this->landed->as->partitionBy)), implode(', ', array_map($alias, $this->landed->as->partitionBy))];
    }

    /**
     * @param  list<string|null>  $values  of the partitions, from the outermost
     *
     * @throws SystemTrouble if no folder can be called so
     */
    private function folder(array $values): string
    {
        $folders = array_map(static fn (Partition $p, ?string $v): string => DataFile::folder($p->name(), $v), $this->landed->as->partitionBy, $values);
        foreach ($folders as $n => $folder) {
            strlen($folder) <= self::LONGEST || throw LandedTrouble::longFolder($this->landed->name, $this->landed->as->partitionBy[$n]->name(), strlen($folder), self::LONGEST);
        }

        return implode('/', $folders);
    }

    /**
     * @param  list<array{path: string, rows: int, below: string}>  $made
     * @return list<DataFile>
     */
    private function placed(array $made): array
    {
        usort($made, static fn (array $a, array $b): int => $a['below'] <=> $b['below']);
        $files = [];
        foreach ($made as ['path' => $path, 'rows' => $rows, 'below' => $below]) {
            if ($rows > 0) {
                $name = "{$this->landed->name->schema}/{$this->landed->name->name}/{$below}";
                $files[] = new DataFile($name, $rows, (int) filesize($path), DataFile::partitionOf($below), $this->sequence, $this->era, DataFile::sumOf($path));
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
}
