<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Lake;

use Lighterman\Connectors\Engine\Engine;
use Lighterman\Connectors\Engine\EngineError;
use Lighterman\Connectors\Engine\TypeMap;
use Lighterman\Connectors\Scratch;
use Lighterman\Core\Port\QueryResult;
use Lighterman\Core\Trouble\MissingTrouble;
use Lighterman\Core\Trouble\PrivilegeTrouble;
use Lighterman\Core\Trouble\QueryTrouble;
use Lighterman\Core\Trouble\Reason;
use Lighterman\Core\Trouble\SystemTrouble;

/**
 * Runs one query over the tables of a lake in a process of its own: whatever the query does, it ends with the process, after
 * the time it was given at the latest.
 */
final readonly class LakeQuery
{
    public function __construct(private LakeSettings $settings)
    {
    }

    /**
     * @param  (callable(): bool)|null  $stopped  asked again and again: whether somebody wants it stopped
     *
     * @throws SystemTrouble
     */
    public function run(string $sql, int $rowLimit, int $seconds, ?callable $stopped = null): QueryResult
    {
        $begun = hrtime(true);
        // For rows that the engine cannot read by itself. The process may be killed, so it is cleared away from here.
        $work = Scratch::own($this->settings->temporary, 'query');
        if (! @mkdir($work, 0700, true)) {
            throw PrivilegeTrouble::toMake($work);
        }
        $process = proc_open([PHP_BINARY, '-d', 'ffi.enable=true', '-d', 'memory_limit=512M', dirname(__DIR__, 2).'/bin/lake-query.php'], [['pipe', 'r'], ['pipe', 'w'], ['pipe', 'w']], $pipes);
        if ($process === false) {
            throw MissingTrouble::tool(Reason::NoProcess, PHP_BINARY, 'No process for the query could be started.', 'Try again; if it stays so, look at the limits of this machine.', mayPass: true);
        }
        fwrite($pipes[0], json_encode(['settings' => $this->settings->toArray(), 'sql' => $sql, 'limit' => $rowLimit, 'work' => $work], JSON_THROW_ON_ERROR));
        fclose($pipes[0]);
        stream_set_blocking($pipes[1], false);
        $told = '';
        try {
            while (! feof($pipes[1])) {
                if ((hrtime(true) - $begun) / 1e9 > $seconds) {
                    throw QueryTrouble::tooLong($seconds);
                }
                if ($stopped !== null && $stopped()) {
                    throw QueryTrouble::stopped();
                }
                $read = [$pipes[1]];
                $none = null;
                stream_select($read, $none, $none, 0, 50_000);
                $told .= (string) fread($pipes[1], 1 << 20);
            }
        } finally {
            proc_terminate($process, SIGKILL);
            proc_close($process);
            Scratch::remove($work);
        }
        $answer = json_decode($told, true);
        if (! is_array($answer)) {
            throw QueryTrouble::outOfMemory();
        }
        if (isset($answer['error'])) {
            throw QueryTrouble::refused($answer['error'], $answer['remedy'] ?? null);
        }

        return new QueryResult($answer['columns'], $answer['rows'], $answer['cut'], (hrtime(true) - $begun) / 1e9, $answer['files']);
    }

    /**
     * What the process of its own does.
     *
     * @param  string  $work  absolute folder for rows on their way into the engine
     * @return array<string, mixed> columns, rows, cut and files; or error
     */
    public function answer(string $sql, int $limit, string $work): array
    {
        $engine = $this->settings->engine(further: [$work]);
        try {
            $sql = rtrim(trim($sql), ';');
            [$read, $files] = $this->name($engine, $sql, $work);
            $columns = $texts = [];
            foreach ($engine->describe($sql) as $name => $engines) {
                $type = TypeMap::of($engines);
                $name = (string) $name;
                $columns[] = ['name' => $name, 'type' => (string) $type, 'numeric' => $type->kind->isNumeric()];
                $texts[] = TypeMap::told(Engine::name($name), $type).' AS '.Engine::name($name);
            }
            $rows = [];
            foreach ($engine->query('SELECT '.implode(', ', $texts)." FROM ({$sql}\n) LIMIT ".($limit + 1)) as $row) {
                $rows[] = array_map(static fn (?string $v): ?string => $v === null ? null : mb_scrub($v, 'UTF-8'), array_values($row));
            }

            return ['columns' => $columns, 'rows' => array_slice($rows, 0, $limit), 'cut' => count($rows) > $limit, 'files' => $files === 0 ? null : [$read, $files]];
        } catch (EngineError $e) {
            return ['error' => $e->getMessage()];
        } finally {
            $engine->close();
        }
    }

    /**
     * Makes the tables known that a statement may mean: the others are not even opened.
     *
     * @return array{int, int} how many of how many of their files are read
     */
    private function name(Engine $engine, string $sql, string $work): array
    {
        $folder = $this->settings->folder();
        $contents = new Contents($folder, $engine, $work);
        $meant = [];
        $ledger = new Ledger($folder);
        $damaged = [];
        $tables = $ledger->tables($damaged);
        try {
            (new LakeStatement($engine))->demandOnly($sql, array_keys($tables));
        } catch (EngineError $refused) {
            // What is asked for may stand on a page that cannot be read.
            throw $damaged[0] ?? $refused;
        }
        foreach ($tables as $name => $table) {
            [$schema, $own] = explode('.', $name, 2);
            $engine->run('CREATE SCHEMA IF NOT EXISTS '.Engine::name($schema));
            if (stripos($sql, $own) !== false) {
                $meant[$name] = $table;
            }
        }
        // Where a page cannot be read, nobody knows whether what is asked for stands on it.
        $damaged === [] || $meant !== [] || throw $damaged[0];
        $view = static function (string $name, LandedFiles $table, Contents $contents) use ($engine): void {
            [$schema, $own] = explode('.', $name, 2);
            $engine->run('CREATE OR REPLACE VIEW '.Engine::name($schema).'.'.Engine::name($own).' AS '.$contents->of($table, $table->files, partitions: $table->partitionTypes()));
        };
        $fetched = array_filter($meant, $contents->mustBeFetched(...));
        foreach (array_diff_key($meant, $fetched) as $name => $table) {
            $view($name, $table, $contents);
        }
        $read = 0;
        foreach ($fetched === [] ? [] : (new Needed($engine, $work))->of($sql, $fetched, $view) as $name => $files) {
            $view($name, $fetched[$name]->with($files), $contents);
            $read += count($files);
        }
        $count = static fn (array $tables): int => array_sum(array_map(static fn (LandedFiles $t): int => count($t->files), $tables));
        $direct = $count(array_diff_key($meant, $fetched));

        return [$read + $direct - array_sum(array_map(static fn (array $s): int => $s['of'] - $s['read'], $direct === 0 ? [] : $engine->scans($sql) ?? [])), $count($meant)];
    }
}
