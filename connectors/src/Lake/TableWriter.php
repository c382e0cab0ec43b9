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
use Lighterman\Core\Record\Counts;
use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Trouble\Reason;
use Lighterman\Core\Trouble\SystemTrouble;
use RecursiveDirectoryIterator;
use RecursiveIteratorIterator;
use SplFileInfo;

/** Makes files of the rows of one table, the way the landing asks for. What it makes belongs to the table only once a page says so. */
final class TableWriter
{
    /** So many small files of a partition become one with a delivery. */
    private const MANY = 12;

    /** What is small, bytes. */
    public const SMALL = 16 << 20;

    private readonly Stage $stage;

    private LandedFiles $was;

    /** @var list<DataFile> made since begin() */
    private array $made = [];

    /** @var array<string, true> names of files made since begin() that have not been handed over */
    private array $placed = [];

    private bool $merges = false;

    private bool $replaces = false;

    private string $prefix = '';

    private int $files = 0;

    private int $sequence = 0;

    private int $rows = 0;

    private readonly Contents $contents;

    /**
     * @param  string  $work  absolute folder for files that are being made
     * @param  int  $number  tells the tables of a feed apart
     */
    public function __construct(private readonly Folder $folder, private readonly Engine $engine, private readonly LandedTable $landed, private readonly string $work, private readonly int $number)
    {
        $this->stage = new Stage("{$work}/rows-{$number}.txt", $landed->columns());
        $this->contents = new Contents($folder, $engine, $work);
        $this->was = LandedFiles::of($landed);
    }

    /**
     * @param  LandedFiles  $was  what the table consists of
     * @param  string  $prefix  that no other delivery's files have
     * @param  bool  $merges  whether rows take the place of those with the same key
     */
    public function begin(LandedFiles $was, int $sequence, string $prefix, bool $merges, bool $replaces): void
    {
        [$this->was, $this->sequence, $this->prefix, $this->merges, $this->replaces] = [$was, $sequence, $prefix, $merges, $replaces];
        $this->made = [];
        $this->files = $this->rows = 0;
        $this->stage->clear();
    }

    /** @param  string  $encoded  lines in the text form of COPY, with every column of the table */
    public function write(string $encoded): void
    {
        $this->stage->add($encoded);
        if (! $this->merges && ($this->stage->rows >= $this->landed->writing->rows || $this->stage->bytes >= $this->landed->writing->megabytes << 20)) {
            $this->flush();
        }
    }

    /** Makes the staged rows known to the engine, for finish(). @return string what their keys are selected from */
    public function staged(): string
    {
        $this->engine->run("CREATE OR REPLACE TEMP TABLE {$this->stageName()} AS {$this->stage->select()}");

        return 'SELECT '.$this->names($this->landed->key)." FROM {$this->stageName()}";
    }

    /**
     * @param  string  $leaving  query of keys whose rows leave this table; empty for none
     * @return array{LandedFiles, Counts} what the table consists of now
     */
    public function finish(string $leaving): array
    {
        if (! $this->merges) {
            $this->flush();
            $deleted = $this->replaces ? $this->was->rows() : 0;

            return [$this->was->with([...($this->replaces ? [] : $this->was->files), ...$this->made]), new Counts($this->rows, deleted: $deleted)];
        }

        return $this->merge($leaving);
    }

    /**
     * Whoever takes the files makes them count, or takes them away.
     *
     * @return array<string, true> names of all files made since begin(), those that were joined at once too
     */
    public function handOver(): array
    {
        [$placed, $this->placed] = [$this->placed, []];

        return $placed;
    }

    /** Forgets the delivery under way, with the files made for it. */
    public function clear(): void
    {
        $this->stage->clear();
        foreach (array_keys($this->handOver()) as $name) {
            try {
                $this->folder->delete($name);
            } catch (SystemTrouble) {
                // Whoever takes the feed next clears away what is left.
            }
        }
    }

    /**
     * Joins the small files of each partition that has many, so that frequent deliveries do not leave a file each. The files
     * that were joined stay for whoever is reading them.
     *
     * @param  int  $many  that there must be in a partition
     */
    public function joined(LandedFiles $table, int $many = self::MANY): LandedFiles
    {
        // Where a partition has to be one file it is written anew with every delivery, however large.
        foreach ($this->isSingle() ? $table->small(PHP_INT_MAX, 2) : $table->small(self::SMALL, $many) as $files) {
            $gone = array_flip(array_map(static fn (DataFile $f): string => $f->name, $files));
            $rest = array_values(array_filter($table->files, static fn (DataFile $f): bool => ! isset($gone[$f->name])));
            $table = $table->with([...$rest, ...$this->copied($this->contents->of($table, $files))]);
        }

        return $table;
    }

    /**
     * Joins all small files of a table, outside a delivery.
     *
     * @param  string  $prefix  that no other files have
     * @return LandedFiles the same object if there was nothing to join
     */
    public function joinedBy(LandedFiles $was, int $sequence, string $prefix): LandedFiles
    {
        $this->begin($was, $sequence, $prefix, merges: false, replaces: false);

        return $this->joined($was, 2);
    }

    /** @return array{LandedFiles, Counts} */
    private function merge(string $leaving): array
    {
        $stage = $this->stageName();
        $superseded = $this->landed->repeats ? $this->dropSuperseded($stage) : 0;
        $this->refuseTwice($stage);
        [$files, $counts] = $this->merged($stage, $this->landed->key, array_values(array_diff($this->landed->shape->names(), $this->landed->key)), $leaving);

        return [$files, $counts->plus(new Counts(0, superseded: $superseded))];
    }

    /**
     * Puts rows in the place of those with the same key, and rewrites only the files that hold rows which change or leave.
     *
     * @param  string  $stage  table of the engine with every column of the landed one, in which no two rows have one key
     * @param  list<string>  $key
     * @param  list<string>  $compared  columns that tell whether a row has changed
     * @param  string  $leaving  query of the keys, in the order given, whose rows leave this table; empty for none
     * @return array{LandedFiles, Counts} what the table consists of now
     */
    public function merged(string $stage, array $key, array $compared, string $leaving): array
    {
        $staged = (int) $this->engine->value("SELECT count(*) FROM {$stage}");
        if ($this->was->files === []) {
            return [$this->was->with($staged === 0 ? [] : $this->copied("SELECT {$this->names($this->columns())} FROM {$stage}")), new Counts($staged)];
        }
        $same = static fn (string $a, string $b, array $columns): string => implode(' AND ', array_map(static fn (string $c): string => "{$a}.".Engine::name($c).' IS NOT DISTINCT FROM '."{$b}.".Engine::name($c), $columns)) ?: 'true';
        $on = implode(' AND ', array_map(static fn (string $k): string => 'o.'.Engine::name($k).' = s.'.Engine::name($k), $key));
        $old = $this->contents->of($this->was, $this->was->files, filename: true);
        $this->engine->run("CREATE OR REPLACE TEMP TABLE hit AS SELECT o.filename, {$this->names($key, 's')}, {$same('o', 's', $compared)} AS same FROM ({$old}) o JOIN {$stage} s ON {$on}");
        ['hits' => $hits, 'same' => $unchanged] = array_map(intval(...), $this->engine->rows('SELECT count(*) AS hits, count(*) FILTER (WHERE same) AS same FROM hit')[0]);
        $this->engine->run('CREATE OR REPLACE TEMP TABLE leaving AS '.($leaving === '' ? "SELECT {$this->names($key)} FROM {$stage} LIMIT 0" : $leaving));
        $left = $leaving === '' ? [] : $this->engine->rows('SELECT o.filename, count(*) AS n FROM ('.$old.') o WHERE ('.$this->names($key, 'o').') IN (SELECT * FROM leaving) GROUP BY 1');
        $rewritten = array_fill_keys([...array_column($this->engine->rows('SELECT DISTINCT filename FROM hit WHERE NOT same'), 'filename'), ...array_column($left, 'filename')], true);
        $changed = "SELECT {$this->names($this->columns())} FROM {$stage} s WHERE NOT EXISTS (SELECT 1 FROM hit h WHERE h.same AND {$same('h', 's', $key)})";
        $deleted = array_sum(array_map(intval(...), array_column($left, 'n')));
        $stay = array_values(array_filter($this->was->files, static fn (DataFile $f): bool => ! isset($rewritten[$f->name])));
        $again = array_values(array_filter($this->was->files, static fn (DataFile $f): bool => isset($rewritten[$f->name])));
        if ($staged > $unchanged || $again !== []) {
            // What is kept of a file that is rewritten are the rows that neither change nor leave.
            $kept = $again === [] ? '' : ' UNION ALL BY NAME SELECT * FROM ('.$this->contents->of($this->was, $again).') o WHERE ('.$this->names($key, 'o').') NOT IN (SELECT '.$this->names($key)." FROM hit WHERE NOT same) AND ({$this->names($key, 'o')}) NOT IN (SELECT * FROM leaving)";
            $stay = [...$stay, ...$this->copied($changed.$kept)];
        }

        return [$this->was->with($stay), new Counts($staged - $hits, $hits - $unchanged, $unchanged, $deleted)];
    }

    /** @return list<string> every column of the table */
    private function columns(): array
    {
        return array_map(static fn (Column $c): string => $c->name, $this->landed->columns());
    }

    /** A query of what the table consisted of before. */
    public function before(): string
    {
        return $this->contents->of($this->was, $this->was->files);
    }

    /** Takes out the staged rows after which another of the same key came. @return int how many */
    private function dropSuperseded(string $stage): int
    {
        $before = (int) $this->engine->value("SELECT count(*) FROM {$stage}");
        $this->engine->run("DELETE FROM {$stage} WHERE rowid IN (SELECT place FROM (SELECT rowid AS place, row_number() OVER (PARTITION BY {$this->names($this->landed->key)} ORDER BY rowid DESC) AS n FROM {$stage}) WHERE n > 1)");

        return $before - (int) $this->engine->value("SELECT count(*) FROM {$stage}");
    }

    /** @throws SystemTrouble if two staged rows have the same key */
    private function refuseTwice(string $stage): void
    {
        $twice = $this->engine->rows("SELECT {$this->names($this->landed->key)} FROM {$stage} GROUP BY ALL HAVING count(*) > 1 LIMIT 1")[0] ?? null;
        if ($twice !== null) {
            $said = implode(', ', array_map(static fn (string $c, ?string $v): string => "{$c} = {$v}", array_keys($twice), $twice));
            throw SystemTrouble::lasting(Reason::DuplicateKey, "{$this->landed->source}: more than one row has {$said}, so the key does not tell rows apart.", 'Choose a key that no two rows share. Nothing of the batch was written.');
        }
    }

    private function flush(): void
    {
        if ($this->stage->rows > 0) {
            $this->rows += $this->stage->rows;
            $this->made = [...$this->made, ...$this->copied($this->stage->select())];
            $this->stage->clear();
        }
    }

    /** Whether the rows of a partition are one single file. */
    private function isSingle(): bool
    {
        return $this->landed->writing->fixedName !== null;
    }

    /**
     * Writes what a query gives to files of the table.
     *
     * @return list<DataFile>
     */
    private function copied(string $select): array
    {
        $parts = array_combine(array_map(static fn (Partition $p): string => $p->name(), $this->landed->partitionBy), array_map(static fn (Partition $p): string => self::partValue($p), $this->landed->partitionBy));
        $made = "{$this->work}/made-{$this->number}";
        is_dir($made) || mkdir($made, 0777, true);
        $name = "{$this->prefix}-{$this->number}-{$this->files}";
        $this->files++;
        try {
            return $this->placed($made, $this->landed->writing->format === FileFormat::Parquet ? $this->parquet($select, $parts, $made, $name) : $this->rowByRow($select, $parts, $made, $name));
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
        $packed = ['zstd' => 'zstd', 'snappy' => 'snappy', 'none' => 'uncompressed'][$this->landed->writing->packed];
        $options = "FORMAT parquet, COMPRESSION {$packed}, ROW_GROUP_SIZE {$this->landed->writing->groupRows}";
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
        $files = new Made($made, $name, $this->landed->writing, new Shape($columns), $this->landed->name->name, $this->isSingle());
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
                $files[] = new DataFile($name, $count, (int) filesize($path), DataFile::partitionOf($below), $this->sequence, count($this->was->eras) - 1);
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

    /**
     * Gives the file of each partition its fixed name as well, and takes away those of partitions without a file.
     *
     * @param  LandedFiles  $before  the same object where it is not known what was done; then all is done again
     */
    public function name(LandedFiles $table, LandedFiles $before): void
    {
        $writing = $this->landed->writing;
        $fixed = fn (LandedFiles $t): array => $this->isSingle() ? array_column(array_map(static fn (DataFile $f): array => [dirname($f->name)."/{$writing->fixedName}.{$writing->ending()}", $f->name], $t->files), 1, 0) : [];
        $wanted = $fixed($table);
        $there = $table === $before ? [] : $fixed($before);
        foreach (array_diff_assoc($wanted, $there) as $as => $name) {
            $this->folder->repeat($name, (string) $as);
        }
        // Names of an earlier era would say for ever what was then.
        $gone = [...array_keys(array_diff_key($there, $wanted)), ...($table === $before ? array_diff($table->fixedNames(), array_keys($wanted)) : [])];
        array_map($this->folder->delete(...), array_map(strval(...), $gone));
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

    /** @param  list<string>  $columns */
    private function names(array $columns, string $of = ''): string
    {
        return implode(', ', array_map(static fn (string $c): string => ($of === '' ? '' : "{$of}.").Engine::name($c), $columns));
    }

    private function stageName(): string
    {
        return "stage_{$this->number}";
    }

    private function trouble(string $said): SystemTrouble
    {
        return match (true) {
            str_contains($said, 'No space left') => SystemTrouble::passing(Reason::DiskFull, "{$this->landed->name}: the disk of the lake is full.", 'Free space. Lighterman tries again.'),
            str_starts_with($said, 'Out of Memory') => SystemTrouble::passing(Reason::OutOfMemory, "{$this->landed->name}: the engine's memory does not suffice ({$said}).", 'Give it more (LIGHTERMAN_LAKE_MEMORY_MB, 160 unless said), or leave columns out: each needs about 0.2 MB.'),
            str_starts_with($said, 'Conversion Error') => SystemTrouble::lasting(Reason::UnfitValue, "{$this->landed->name}: a value does not fit its column. {$said}", 'Convert the column on the feed\'s Columns page, to text for instance, or say there what becomes of such a value.'),
            default => SystemTrouble::lasting(Reason::Refused, "{$this->landed->name}: {$said}", 'Correct what the message names and try again.'),
        };
    }
}
