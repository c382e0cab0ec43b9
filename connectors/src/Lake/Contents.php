<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Lake;

use Lighterman\Connectors\Engine\Engine;
use Lighterman\Connectors\Engine\TypeMap;
use Lighterman\Connectors\Files\Unpacked;
use Lighterman\Core\Format\Avro\MalformedAvro;
use Lighterman\Core\Format\Avro\Reader as AvroReader;
use Lighterman\Core\Format\FileFormat;
use Lighterman\Core\Format\Rows\DelimitedRows;
use Lighterman\Core\Format\Rows\FileRows;
use Lighterman\Core\Format\Rows\Frame;
use Lighterman\Core\Format\Rows\JsonRows;
use Lighterman\Core\Format\Rows\OtherShape;
use Lighterman\Core\Format\Rows\TypedRows;
use Lighterman\Core\Port\BrokenFile;
use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Shape\Type;
use Lighterman\Core\Shape\TypeKind;
use Lighterman\Core\Trouble\FileTrouble;
use Lighterman\Core\Trouble\MissingTrouble;
use Lighterman\Core\Trouble\SystemTrouble;

/**
 * What the files of a lake hold, as queries of the engine. Parquet it reads itself; of other formats the rows are read here,
 * to the last digit, and put into its memory first.
 */
final class Contents
{
    private const PIECE = 262_144;

    /** @var array<string, string> temporary table by the files it holds */
    private array $loaded = [];

    /** @param  string  $work  absolute folder for rows on their way into the engine */
    public function __construct(private readonly Folder $folder, private readonly Engine $engine, private readonly string $work)
    {
    }

    /** Whether files of a table have to be brought to the engine, which is worth doing for those only that are needed. */
    public function mustBeFetched(LandedFiles $table): bool
    {
        foreach ($table->files as $file) {
            if ($this->folder->isFar() || FileFormat::of($file->name) !== FileFormat::Parquet) {
                return true;
            }
        }

        return false;
    }

    /**
     * A query of all columns of a table over some of its files; columns that older files lack are null.
     *
     * @param  list<DataFile>  $files
     * @param  bool  $filename  whether it also tells the name of each row's file
     * @param  array<string, string>  $partitions  the engine's types of what the folders say, by name: parts of dates are told too
     */
    public function of(LandedFiles $table, array $files, bool $filename = false, array $partitions = []): string
    {
        $shape = $table->shape();
        $more = [...($filename ? ['filename' => 'VARCHAR'] : []), ...array_diff_key($partitions, array_flip($shape->names()))];
        $names = implode(', ', array_map(Engine::name(...), [...$shape->names(), ...array_keys($more)]));
        $none = 'SELECT '.implode(', ', [
            ...array_map(static fn (Column $c): string => 'NULL::'.TypeMap::write($c->type).' AS '.Engine::name($c->name), $shape->columns),
            ...array_map(static fn (string $n, string $t): string => "NULL::{$t} AS ".Engine::name($n), array_keys($more), $more),
        ]).' WHERE false';
        $parts = [];
        [$parquet, $others] = [[], []];
        foreach ($files as $file) {
            FileFormat::of($file->name) === FileFormat::Parquet ? $parquet[] = $file : $others[] = $file;
        }
        $lists = array_filter($shape->columns, static fn (Column $c): bool => $c->type->kind === TypeKind::List);
        foreach ($this->byText($parquet, array_values($lists)) as [$some, $texts]) {
            $parts[] = $this->parquet($some, $texts, $filename, $partitions);
        }
        if ($others !== []) {
            $parts[] = "SELECT * FROM {$this->loaded($table, $others, $filename, $more)}";
        }

        return "SELECT {$names} FROM (".implode(' UNION ALL BY NAME ', [$none, ...$parts]).')';
    }

    /**
     * Rows of a file, counted.
     *
     * @throws BrokenFile if it cannot be read to its end
     */
    public function count(LandedFiles $table, DataFile $file): int
    {
        if (FileFormat::of($file->name) === FileFormat::Parquet) {
            return (int) $this->engine->value('SELECT num_rows FROM parquet_file_metadata('.Engine::literal($this->path($file)).')');
        }
        $rows = 0;
        foreach ($this->blocks($table, $file, []) as $encoded) {
            $rows += substr_count($encoded, "\n");
        }

        return $rows;
    }

    /**
     * Files apart from each other that hold lists and that hold the same as text, as all did once: the engine reads no column
     * that is a list here and a text there.
     *
     * @param  list<DataFile>  $files
     * @param  list<Column>  $lists
     * @return list<array{non-empty-list<DataFile>, list<Column>}> files with the columns that are text in them
     */
    private function byText(array $files, array $lists): array
    {
        if ($files === [] || $lists === []) {
            return $files === [] ? [] : [[$files, []]];
        }
        $texts = [];
        // What is nested has a group of its own beside what is in it.
        foreach ($this->engine->rows("SELECT file_name, name FROM parquet_schema([{$this->paths($files)}]) WHERE name IN (".implode(', ', array_map(static fn (Column $c): string => Engine::literal($c->name), $lists)).') GROUP BY ALL HAVING bool_and(num_children IS NULL)') as $found) {
            $texts[(string) $found['file_name']][(string) $found['name']] = true;
        }
        $alike = [];
        foreach ($files as $file) {
            $own = $texts[$this->path($file)] ?? [];
            $columns = array_values(array_filter($lists, static fn (Column $c): bool => isset($own[$c->name])));
            $key = implode("\0", array_map(static fn (Column $c): string => $c->name, $columns));
            $alike[$key] = [[...$alike[$key][0] ?? [], $file], $columns];
        }

        return array_values($alike);
    }

    /** @param  list<DataFile>  $files */
    private function paths(array $files): string
    {
        return implode(', ', array_map(fn (DataFile $f): string => Engine::literal($this->path($f)), $files));
    }

    private function path(DataFile $file): string
    {
        return $this->folder->local($file->name, $file->bytes === 0 ? null : $file->bytes);
    }

    /**
     * Looks whether files are what they were when they were made, before others take their place.
     *
     * @param  list<DataFile>  $files
     *
     * @throws SystemTrouble naming the first that is not
     */
    public function demandSame(array $files): void
    {
        foreach ($files as $file) {
            if ($file->sum !== null && DataFile::sumOf($this->path($file)) !== $file->sum) {
                throw FileTrouble::damaged($this->folder->where($file->name), 'what it holds does not match its sum');
            }
        }
    }

    /**
     * @param  list<DataFile>  $files
     * @param  list<Column>  $texts  lists that are text in these
     * @param  array<string, string>  $partitions
     */
    private function parquet(array $files, array $texts, bool $filename, array $partitions): string
    {
        $hive = $partitions === [] ? 'hive_partitioning = false' : 'hive_partitioning = true, hive_types = {'.implode(', ', array_map(static fn (string $p, string $type): string => Engine::literal($p).": {$type}", array_keys($partitions), $partitions)).'}';
        $from = "read_parquet([{$this->paths($files)}], union_by_name = true, {$hive}".($filename ? ', filename = true' : '').')';

        $replaced = [...($filename ? ['substr(filename, '.(strlen($this->folder->local('')) + 1).') AS filename'] : []), ...array_map(static fn (Column $c): string => TypeMap::read($c->name, $c->type).' AS '.Engine::name($c->name), $texts)];

        return 'SELECT *'.($replaced === [] ? '' : ' REPLACE ('.implode(', ', $replaced).')')." FROM {$from}";
    }

    /**
     * Rows of files that the engine does not read, in a table of its memory.
     *
     * @param  list<DataFile>  $files
     * @param  array<string, string>  $more  the engine's types of what is told besides the columns, by name
     */
    private function loaded(LandedFiles $table, array $files, bool $filename, array $more): string
    {
        $key = implode("\0", [...array_map(static fn (DataFile $f): string => $f->name, $files), ...array_keys($more), ...$table->shape()->names()]);
        if (isset($this->loaded[$key])) {
            return $this->loaded[$key];
        }
        $number = count($this->loaded);
        $text = Type::of(TypeKind::Text);
        $stage = new Stage("{$this->work}/loaded-{$number}.txt", [...$table->shape()->columns, ...array_map(static fn (string $n): Column => new Column($n, $text), array_keys($more))]);
        foreach ($files as $file) {
            $besides = array_map(static fn (string $n): ?string => $filename && $n === 'filename' ? $file->name : $file->partition[$n] ?? null, array_keys($more));
            try {
                foreach ($this->blocks($table, $file, $besides) as $encoded) {
                    $stage->add($encoded);
                }
            } catch (BrokenFile $e) {
                throw FileTrouble::damaged($this->folder->where($file->name), $e->fault);
            }
        }
        $name = "loaded_{$number}";
        $this->engine->run("CREATE OR REPLACE TEMP TABLE {$name} AS {$stage->select()}");
        $stage->clear();

        return $this->loaded[$key] = $name;
    }

    /**
     * @param  list<string|null>  $besides
     * @return \Generator<int, string> lines in the text form of COPY
     *
     * @throws BrokenFile if it cannot be read as it was written
     */
    private function blocks(LandedFiles $table, DataFile $file, array $besides): \Generator
    {
        $era = $table->era($file);
        try {
            foreach ($this->rows($era, $file, new Frame($table->shape(), $era->shape->names(), true, $besides, false))->blocks() as $block) {
                foreach ($block->bad as $bad) {
                    throw BrokenFile::at($file->name, "line {$bad->number}: {$bad->fault}");
                }
                yield $block->encoded;
            }
        } catch (OtherShape|MalformedAvro $e) {
            throw BrokenFile::at($file->name, lcfirst(rtrim($e->getMessage(), '.')));
        }
    }

    private function rows(Era $era, DataFile $file, Frame $frame): FileRows
    {
        $pieces = $this->pieces($file);
        switch (FileFormat::of($file->name)) {
            case FileFormat::Delimited:
                return new DelimitedRows($pieces, $era->dialect ?? throw new \LogicException("{$file->name} was written as something else."), $frame);
            case FileFormat::JsonLines:
                return new JsonRows($pieces, $frame);
            case FileFormat::Avro:
                $avro = new AvroReader($pieces);
                // It says numbers without end as text, which is what they land as; lists it says as JSON.
                $said = static fn (Column $c): Type => ($type = $era->shape->column($c->name)?->type) === null || $type->kind === TypeKind::List ? $c->type : $type;
                $shape = new Shape(array_map(static fn (Column $c): Column => new Column($c->name, $said($c), $c->nullable), $avro->shape()->columns));

                return new TypedRows($shape, $avro->rows(), $frame);
            default:
                throw new \LogicException("{$file->name} is of no format that is read here.");
        }
    }

    /** @return \Generator<int, string> */
    private function pieces(DataFile $of): \Generator
    {
        $file = @fopen($this->path($of), 'rb') ?: throw MissingTrouble::written($this->folder->where($of->name));
        $bytes = (static function () use ($file): \Generator {
            try {
                while (($piece = fread($file, self::PIECE)) !== false && $piece !== '') {
                    yield $piece;
                }
            } finally {
                fclose($file);
            }
        })();

        return FileFormat::isPacked($of->name) ? Unpacked::of($bytes, $of->name) : $bytes;
    }
}
