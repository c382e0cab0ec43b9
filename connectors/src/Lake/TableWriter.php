<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Lake;

use Lighterman\Connectors\Engine\Engine;
use Lighterman\Core\Landing\LandedTable;
use Lighterman\Core\Record\Counts;
use Lighterman\Core\Shape\Column;
use Lighterman\Core\Trouble\KeyTrouble;
use Lighterman\Core\Trouble\SystemTrouble;

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

    private bool $merges = false;

    private bool $replaces = false;

    private int $rows = 0;

    private readonly Contents $contents;

    private readonly DataFileMaker $maker;

    /**
     * @param  string  $work  absolute folder for files that are being made
     * @param  int  $number  tells the tables of a feed apart
     */
    public function __construct(private readonly Folder $folder, private readonly Engine $engine, private readonly LandedTable $landed, string $work, private readonly int $number)
    {
        $this->stage = new Stage("{$work}/rows-{$number}.txt", $landed->columns());
        $this->contents = new Contents($folder, $engine, $work);
        $this->maker = new DataFileMaker($folder, $engine, $landed, $work, $number);
        $this->was = LandedFiles::of($landed);
    }

    /**
     * @param  LandedFiles  $was  what the table consists of
     * @param  string  $prefix  that no other delivery's files have
     * @param  bool  $merges  whether rows take the place of those with the same key
     */
    public function begin(LandedFiles $was, int $sequence, string $prefix, bool $merges, bool $replaces): void
    {
        [$this->was, $this->merges, $this->replaces] = [$was, $merges, $replaces];
        $this->maker->begin($sequence, $prefix, count($was->eras) - 1);
        $this->made = [];
        $this->rows = 0;
        $this->stage->clear();
    }

    /** @param  string  $encoded  lines in the text form of COPY, with every column of the table */
    public function write(string $encoded): void
    {
        $this->stage->add($encoded);
        if (! $this->merges && ($this->stage->rows >= $this->landed->as->writing->rows || $this->stage->bytes >= $this->landed->as->writing->megabytes << 20)) {
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

    /** @return array<string, true> as DataFileMaker::handOver() has it */
    public function handOver(): array
    {
        return $this->maker->handOver();
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
        foreach ($this->landed->as->writing->isSingle() ? $table->small(PHP_INT_MAX, 2) : $table->small(self::SMALL, $many) as $files) {
            $gone = array_flip(array_map(static fn (DataFile $f): string => $f->name, $files));
            $rest = array_values(array_filter($table->files, static fn (DataFile $f): bool => ! isset($gone[$f->name])));
            $this->contents->demandSame($files);
            $table = $table->with([...$rest, ...$this->maker->make($this->contents->of($table, $files))]);
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
        $superseded = $this->landed->repeats() ? $this->dropSuperseded($stage) : 0;
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
            return [$this->was->with($staged === 0 ? [] : $this->maker->make("SELECT {$this->names($this->columns())} FROM {$stage}")), new Counts($staged)];
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
            $this->contents->demandSame($again);
            // What is kept of a file that is rewritten are the rows that neither change nor leave.
            $kept = $again === [] ? '' : ' UNION ALL BY NAME SELECT * FROM ('.$this->contents->of($this->was, $again).') o WHERE ('.$this->names($key, 'o').') NOT IN (SELECT '.$this->names($key)." FROM hit WHERE NOT same) AND ({$this->names($key, 'o')}) NOT IN (SELECT * FROM leaving)";
            $stay = [...$stay, ...$this->maker->make($changed.$kept)];
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
            throw KeyTrouble::doubled($this->landed->source, $twice);
        }
    }

    private function flush(): void
    {
        if ($this->stage->rows > 0) {
            $this->rows += $this->stage->rows;
            $this->made = [...$this->made, ...$this->maker->make($this->stage->select())];
            $this->stage->clear();
        }
    }

    /**
     * Gives the file of each partition its fixed name as well, and takes away those of partitions without a file.
     *
     * @param  LandedFiles  $before  the same object where it is not known what was done; then all is done again
     */
    public function name(LandedFiles $table, LandedFiles $before): void
    {
        $writing = $this->landed->as->writing;
        $fixed = fn (LandedFiles $t): array => $this->landed->as->writing->isSingle() ? array_column(array_map(static fn (DataFile $f): array => [dirname($f->name)."/{$writing->fixedName}.{$writing->ending()}", $f->name], $t->files), 1, 0) : [];
        $wanted = $fixed($table);
        $there = $table === $before ? [] : $fixed($before);
        foreach (array_diff_assoc($wanted, $there) as $as => $name) {
            $this->folder->repeat($name, (string) $as);
        }
        // Names of an earlier era would say for ever what was then.
        $gone = [...array_keys(array_diff_key($there, $wanted)), ...($table === $before ? array_diff($table->fixedNames(), array_keys($wanted)) : [])];
        array_map($this->folder->delete(...), array_map(strval(...), $gone));
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
}
