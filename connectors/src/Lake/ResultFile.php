<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Lake;

use Lighterman\Connectors\Engine\Engine;
use Lighterman\Connectors\Engine\EngineError;
use Lighterman\Core\Format\CopyText;
use Lighterman\Core\Port\QueryResult;
use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\Type;
use Lighterman\Core\Trouble\QueryTrouble;
use Lighterman\Core\Trouble\SystemTrouble;

/** Writes the result of a query, of whatever system, as a Parquet file. */
final readonly class ResultFile
{
    private const LINES = 5000;

    /** @param  string  $folder  absolute; it is made, and the engine reaches no other */
    public function __construct(private string $folder, private int $memory, private int $threads)
    {
    }

    /**
     * @return string absolute path; whoever asked removes the folder
     *
     * @throws SystemTrouble if a value does not fit its type
     */
    public function write(QueryResult $result): string
    {
        is_dir($this->folder) || mkdir($this->folder, 0700, true);
        $columns = [];
        foreach ($result->columns as $n => $column) {
            // Two columns of a result may have one name, those of a file may not.
            $twice = in_array($column['name'], array_column(array_slice($result->columns, 0, $n), 'name'), true);
            $columns[] = new Column($twice ? "{$column['name']}_".($n + 1) : $column['name'], Type::parse($column['type']));
        }
        $stage = new Stage("{$this->folder}/rows.txt", $columns);
        foreach (array_chunk($result->rows, self::LINES) as $rows) {
            $stage->add(implode('', array_map(CopyText::line(...), $rows)));
        }
        $engine = new Engine([$this->folder], $this->memory, $this->threads, $this->folder, ordered: true);
        try {
            $engine->run("COPY ({$stage->select()}) TO ".Engine::literal("{$this->folder}/result.parquet").' (FORMAT parquet, COMPRESSION zstd)');
        } catch (EngineError $e) {
            throw QueryTrouble::unfitValue($e->getMessage());
        } finally {
            $engine->close();
            $stage->clear();
        }

        return "{$this->folder}/result.parquet";
    }
}
