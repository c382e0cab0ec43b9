<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Engine;

use Closure;
use FFI;
use FFI\CData;
use Generator;
use Lighterman\Connectors\Scratch;
use Lighterman\Connectors\SteadyClock;
use Lighterman\Core\Trouble\MissingTrouble;
use Lighterman\Core\Trouble\Reason;
use Lighterman\Core\Trouble\SystemTrouble;
use Throwable;

/**
 * An embedded SQL engine with nothing stored in it: it reads and writes files of some folders, and no others.
 *
 * Values come and go as text. The network, further extensions and its own settings are out of reach of whatever is run.
 */
final class Engine
{
    /** The engine's own number for a query among the kinds of statements. */
    private const SELECT = 1;

    /** Its numbers for how a query stands that is done piece by piece. */
    private const READY = 0;

    private const FAILED = 2;

    private const NO_TASKS = 3;

    private CData $database;

    private CData $connection;

    private bool $open = false;

    /** When it was last said that the work goes on; in no case before there is any. */
    private float $livedAt = INF;

    /** Absolute folder for what does not fit into memory; the engine makes it when it needs it. */
    private readonly string $spill;

    /**
     * @param  list<string>  $folders  absolute, that may be read and written
     * @param  int  $memory  megabytes
     * @param  string  $temporary  folder below which this engine has one of its own for what does not fit into memory
     * @param  bool  $ordered  whether rows keep the order in which they are read; that costs memory
     * @param  (Closure(): void)|null  $alive  called about once a second while something is run; what it throws ends that
     *
     * @throws SystemTrouble if there is no engine
     */
    public function __construct(array $folders, int $memory, int $threads, string $temporary, bool $ordered = false, public readonly ?Closure $alive = null)
    {
        $library = Library::load();
        // Two engines that put what they have no memory for into one folder read each other's.
        $this->spill = Scratch::own($temporary, 'engine');
        is_dir($temporary) || @mkdir($temporary, 0700, true);
        $this->database = Library::make('duckdb_database');
        $this->connection = Library::make('duckdb_connection');
        $config = Library::make('duckdb_config');
        $library->duckdb_create_config(FFI::addr($config));
        $settings = [
            'memory_limit' => "{$memory}MB", 'threads' => (string) $threads, 'temp_directory' => $this->spill, 'max_temp_directory_size' => '20GB',
            'autoinstall_known_extensions' => 'false', 'autoload_known_extensions' => 'false', 'allow_community_extensions' => 'false', 'preserve_insertion_order' => $ordered ? 'true' : 'false',
        ];
        foreach ($settings as $name => $value) {
            $library->duckdb_set_config($config, $name, $value);
        }
        $error = Library::make('char *');
        $opened = $library->duckdb_open_ext(':memory:', FFI::addr($this->database), $config, FFI::addr($error));
        $library->duckdb_destroy_config(FFI::addr($config));
        if ($opened !== 0) {
            $said = FFI::isNull($error) ? '' : FFI::string($error);
            throw MissingTrouble::tool(Reason::NoEngine, 'duckdb', "The engine that reads and writes Parquet does not start: {$said}", 'See that its memory and folders are as the configuration says.');
        }
        $library->duckdb_connect($this->database, FFI::addr($this->connection));
        $this->open = true;
        $this->run("SET TimeZone = 'UTC'");
        // What a plan was before it was made better is told as well.
        $this->run("SET explain_output = 'all'");
        $this->run('SET allowed_directories = ['.implode(', ', array_map(static fn (string $f): string => self::literal(rtrim($f, '/').'/'), $folders)).']');
        $this->run('SET enable_external_access = false');
        $this->run('SET lock_configuration = true');
        $this->livedAt = 0.0;
    }

    public function __destruct()
    {
        $this->close();
    }

    public function close(): void
    {
        if ($this->open) {
            $this->open = false;
            Library::load()->duckdb_disconnect(FFI::addr($this->connection));
            Library::load()->duckdb_close(FFI::addr($this->database));
            Scratch::remove($this->spill);
        }
    }

    /** @throws EngineError */
    public function run(string $sql): void
    {
        $this->release(...$this->execute($sql));
    }

    /**
     * @return list<array<string, string|null>>
     *
     * @throws EngineError
     */
    public function rows(string $select): array
    {
        return iterator_to_array($this->query($select), false);
    }

    /** @throws EngineError */
    public function value(string $select): ?string
    {
        foreach ($this->query($select) as $row) {
            return array_values($row)[0] ?? null;
        }

        return null;
    }

    /**
     * Rows of a query as they are computed, each value as text.
     *
     * @return Generator<int, array<string, string|null>>
     *
     * @throws EngineError
     */
    public function query(string $select): Generator
    {
        // The line break ends a comment that the query may end with.
        return $this->stream("SELECT COLUMNS(*)::VARCHAR FROM ({$select}\n)");
    }

    /**
     * The columns a single query gives, by name, with their types. Anything but one query is refused.
     *
     * @return array<array-key, string> a name that is a number comes as one
     *
     * @throws EngineError
     */
    public function describe(string $select): array
    {
        $prepared = $this->prepared($select);
        $kind = Library::load()->duckdb_prepared_statement_type($prepared);
        Library::load()->duckdb_destroy_prepare(FFI::addr($prepared));
        if ($kind !== self::SELECT) {
            throw EngineError::said('Only a query can be run here: a statement that begins with SELECT, WITH, FROM or VALUES.');
        }
        $columns = [];
        foreach ($this->stream('SELECT column_name, column_type FROM (DESCRIBE '.rtrim(trim($select), ';')."\n)") as $column) {
            $columns[(string) $column['column_name']] = (string) $column['column_type'];
        }

        return $columns;
    }

    /**
     * How a query would read Parquet files: for each place that it reads them at, which conditions on their folders leave out
     * others, and how many of how many are read. Where there are none nothing is left out, and nothing is counted.
     *
     * @return list<array{conditions: string|null, read: int, of: int}>|null null where a better plan reads at fewer places than the statement names
     *
     * @throws EngineError
     */
    public function scans(string $select): ?array
    {
        return Scans::of($this->stream("EXPLAIN (FORMAT json) {$select}"));
    }

    /** A text as it is written in SQL. */
    public static function literal(string $text): string
    {
        return "'".str_replace("'", "''", $text)."'";
    }

    /** A name as it is written in SQL. */
    public static function name(string $name): string
    {
        return '"'.str_replace('"', '""', $name).'"';
    }

    /** @throws EngineError if it is not exactly one statement */
    private function prepared(string $sql): CData
    {
        $library = Library::load();
        $extracted = Library::make('duckdb_extracted_statements');
        $statements = $library->duckdb_extract_statements($this->connection, $sql, FFI::addr($extracted));
        try {
            if ($statements !== 1) {
                throw EngineError::said($statements === 0 ? $library->duckdb_extract_statements_error($extracted) ?? 'There is nothing to run.' : 'Only one statement can be run at a time.');
            }
            $prepared = Library::make('duckdb_prepared_statement');
            if ($library->duckdb_prepare_extracted_statement($this->connection, $extracted, 0, FFI::addr($prepared)) !== 0) {
                $said = $library->duckdb_prepare_error($prepared) ?? 'It cannot be run.';
                $library->duckdb_destroy_prepare(FFI::addr($prepared));
                throw EngineError::said($said);
            }

            return $prepared;
        } finally {
            $library->duckdb_destroy_extracted(FFI::addr($extracted));
        }
    }

    /**
     * @return Generator<int, array<string, string|null>>
     *
     * @throws EngineError
     */
    private function stream(string $sql): Generator
    {
        $library = Library::load();
        [$prepared, $pending, $result] = $this->execute($sql);
        try {
            $names = [];
            for ($i = 0, $columns = $library->duckdb_column_count(FFI::addr($result)); $i < $columns; $i++) {
                $names[] = $library->duckdb_column_name(FFI::addr($result), $i);
            }
            yield from $this->chunks($result, $names);
        } finally {
            $this->release($prepared, $pending, $result);
        }
    }

    /**
     * @return array{CData, CData, CData} to be released
     *
     * @throws EngineError
     */
    private function execute(string $sql): array
    {
        $library = Library::load();
        $prepared = $this->prepared($sql);
        $pending = Library::make('duckdb_pending_result');
        $result = Library::make('duckdb_result');
        $failed = null;
        if ($library->duckdb_pending_prepared_streaming($prepared, FFI::addr($pending)) !== 0) {
            $failed = $library->duckdb_pending_error($pending) ?? 'It cannot be run.';
        } elseif ($this->alive !== null) {
            try {
                $failed = $this->await($pending) ? null : $library->duckdb_pending_error($pending) ?? 'It failed.';
            } catch (Throwable $e) {
                $this->release($prepared, $pending, $result);
                throw $e;
            }
        }
        if ($failed === null && $library->duckdb_execute_pending($pending, FFI::addr($result)) !== 0) {
            $failed = $library->duckdb_result_error(FFI::addr($result)) ?? 'It failed.';
        }
        if ($failed !== null) {
            $this->release($prepared, $pending, $result);
            throw EngineError::said($failed);
        }

        return [$prepared, $pending, $result];
    }

    /** Does the work piece by piece, so that something can be done in between. @return bool whether it came to its end */
    private function await(CData $pending): bool
    {
        while (true) {
            $state = Library::load()->duckdb_pending_execute_task($pending);
            if ($state === self::READY || $state === self::FAILED) {
                return $state === self::READY;
            }
            if ($state === self::NO_TASKS) {
                usleep(1000);
            }
            $this->live();
        }
    }

    private function live(): void
    {
        if ($this->alive !== null && SteadyClock::seconds() - $this->livedAt >= 1.0) {
            $this->livedAt = SteadyClock::seconds();
            ($this->alive)();
        }
    }

    private function release(CData $prepared, CData $pending, CData $result): void
    {
        $library = Library::load();
        $library->duckdb_destroy_result(FFI::addr($result));
        $library->duckdb_destroy_pending(FFI::addr($pending));
        $library->duckdb_destroy_prepare(FFI::addr($prepared));
    }

    /**
     * @param  list<string>  $names
     * @return Generator<int, array<string, string|null>>
     */
    private function chunks(CData $result, array $names): Generator
    {
        $library = Library::load();
        while (true) {
            $chunk = $library->duckdb_fetch_chunk($result);
            if ($chunk === null) {
                $error = $library->duckdb_result_error(FFI::addr($result));
                if (is_string($error) && $error !== '') {
                    throw EngineError::said($error);
                }

                return;
            }
            try {
                $columns = [];
                $rows = $library->duckdb_data_chunk_get_size($chunk);
                foreach ($names as $i => $name) {
                    $columns[] = Library::texts($library->duckdb_data_chunk_get_vector($chunk, $i), $rows);
                }
            } finally {
                $library->duckdb_destroy_data_chunk(FFI::addr($chunk));
            }
            $this->live();
            for ($row = 0; $row < $rows; $row++) {
                yield array_combine($names, array_column($columns, $row));
            }
        }
    }
}
