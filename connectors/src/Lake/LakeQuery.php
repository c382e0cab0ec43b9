<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Lake;

use Lighterman\Connectors\Engine\Engine;
use Lighterman\Connectors\Engine\EngineError;
use Lighterman\Connectors\Engine\TypeMap;
use Lighterman\Core\Port\QueryResult;
use Lighterman\Core\Port\SystemTrouble;

/**
 * Runs one query over the tables of a lake in a process of its own: whatever the query does, it ends with the process, after
 * the time it was given at the latest.
 */
final readonly class LakeQuery
{
    public function __construct(private LakeSettings $settings)
    {
    }

    /** @throws SystemTrouble */
    public function run(string $sql, int $rowLimit, int $seconds): QueryResult
    {
        $begun = hrtime(true);
        $process = proc_open([PHP_BINARY, '-d', 'ffi.enable=true', '-d', 'memory_limit=512M', dirname(__DIR__, 2).'/bin/lake-query.php'], [['pipe', 'r'], ['pipe', 'w'], ['pipe', 'w']], $pipes);
        if ($process === false) {
            throw SystemTrouble::passing('no_process', 'No process for the query could be started.', 'Try again; if it stays so, look at the limits of this machine.');
        }
        fwrite($pipes[0], json_encode(['settings' => get_object_vars($this->settings), 'sql' => $sql, 'limit' => $rowLimit], JSON_THROW_ON_ERROR));
        fclose($pipes[0]);
        stream_set_blocking($pipes[1], false);
        $told = '';
        try {
            while (! feof($pipes[1])) {
                if ((hrtime(true) - $begun) / 1e9 > $seconds) {
                    throw SystemTrouble::lasting('too_long', "The query took longer than {$seconds} s and was stopped.", 'Ask for less: a partition, a sample, or fewer columns.');
                }
                $read = [$pipes[1]];
                $none = null;
                stream_select($read, $none, $none, 0, 50_000);
                $told .= (string) fread($pipes[1], 1 << 20);
            }
        } finally {
            proc_terminate($process, SIGKILL);
            proc_close($process);
        }
        $answer = json_decode($told, true);
        if (! is_array($answer)) {
            throw SystemTrouble::lasting('out_of_memory', 'The query ended without an answer: it asked for more memory than it may have.', 'Ask for less: a partition, a sample, or fewer columns.');
        }
        if (isset($answer['error'])) {
            throw SystemTrouble::lasting('refused', $answer['error'], 'Correct the statement and run it again.');
        }

        return new QueryResult($answer['columns'], $answer['rows'], $answer['cut'], (hrtime(true) - $begun) / 1e9, $answer['files']);
    }

    /**
     * What the process of its own does.
     *
     * @return array<string, mixed> columns, rows, cut and files; or error
     */
    public function answer(string $sql, int $limit): array
    {
        $engine = $this->settings->engine();
        try {
            $files = $this->name($engine, $sql);
            $sql = rtrim(trim($sql), ';');
            $columns = [];
            foreach ($engine->describe($sql) as $name => $type) {
                $columns[] = ['name' => $name, 'type' => $type, 'numeric' => (bool) preg_match('/^(U?(TINY|SMALL|BIG|HUGE)?INT(EGER)?$|DECIMAL|FLOAT|DOUBLE)/', $type)];
            }
            $rows = [];
            foreach ($engine->query("SELECT * FROM ({$sql}\n) LIMIT ".($limit + 1)) as $row) {
                $rows[] = array_map(static fn (?string $v): ?string => $v === null ? null : mb_scrub($v, 'UTF-8'), array_values($row));
            }

            return ['columns' => $columns, 'rows' => array_slice($rows, 0, $limit), 'cut' => count($rows) > $limit, 'files' => $files === 0 ? null : [$files - $engine->leftOut($sql), $files]];
        } catch (EngineError $e) {
            return ['error' => $e->getMessage()];
        } finally {
            $engine->close();
        }
    }

    /** Makes the tables known that a statement may mean: the others are not even opened. @return int how many files they have */
    private function name(Engine $engine, string $sql): int
    {
        $files = 0;
        $folder = $this->settings->folder();
        foreach ((new Ledger($folder))->tables() as $name => $table) {
            [$schema, $own] = explode('.', $name, 2);
            $engine->run('CREATE SCHEMA IF NOT EXISTS '.Engine::name($schema));
            if (stripos($sql, $own) !== false) {
                $engine->run('CREATE VIEW '.Engine::name($schema).'.'.Engine::name($own).' AS '.$this->view($folder, $table));
                $files += count($table->files);
            }
        }

        return $files;
    }

    /** Its columns, and the values of its folders, so that a condition on these leaves out the files of all others. */
    private function view(Folder $folder, LandedFiles $table): string
    {
        $types = [];
        foreach ($table->files[0]->partition ?? [] as $name => $ignored) {
            $type = $table->shape->column($name)?->type;
            $types[$name] = $type === null ? 'VARCHAR' : TypeMap::write($type);
        }

        return TableWriter::read($folder, $table, $table->files, partitions: $types);
    }
}
