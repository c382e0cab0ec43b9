<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Pdo;

use Lighterman\Connectors\Reading\Candidates;
use Lighterman\Connectors\Reading\Conditions;
use Lighterman\Connectors\Reading\Planner;
use Lighterman\Connectors\Reading\SqlLookup;
use Lighterman\Connectors\Reading\TableReader;
use Lighterman\Core\Capture\BoundNote;
use Lighterman\Core\Capture\ReadPlan;
use Lighterman\Core\Capture\SourceMoment;
use Lighterman\Core\Capture\TableFacts;
use Lighterman\Core\Capture\Window;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Port\BatchReader;
use Lighterman\Core\Port\CatalogueEntry;
use Lighterman\Core\Port\Sampling;
use Lighterman\Core\Port\SourceSystem;
use Lighterman\Core\Port\TakenFiles;
use Lighterman\Core\Position\Position;
use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Treatment\LookupTable;
use Lighterman\Core\Trouble\MissingTrouble;

/** A source that PHP reaches through PDO: what does not depend on which one it is. */
abstract class PdoSource implements SourceSystem
{
    public function __construct(protected readonly string $system, protected readonly PdoConnection $connection, protected readonly PdoSpelling $spelling)
    {
    }

    /** A session of its own for a reading; its transactions must not meet those of the other. */
    abstract protected function readingSession(): PdoConnection;

    /** @return list<array{TableName, int|null, int, string|null}> tables with estimated rows, bytes and comment */
    abstract protected function tables(): array;

    /** @return array<string, Shape> by table as text */
    abstract protected function shapes(?TableName $only): array;

    abstract protected function indexFacts(TableName $table): IndexFacts;

    /** An expression for the clock, as it compares with moments. */
    abstract protected function now(): string;

    abstract protected function moment(FeedDefinition $definition): SourceMoment;

    public function catalogue(): array
    {
        $shapes = $this->shapes(null);

        return array_map(static function (array $t) use ($shapes): CatalogueEntry {
            [$table, $rows, $bytes, $comment] = $t;
            $shape = $shapes[(string) $table] ?? new Shape([]);

            return new CatalogueEntry($table, $shape, $rows, $bytes, Candidates::of($shape), $comment);
        }, $this->tables());
    }

    public function shape(TableName $table): Shape
    {
        return $this->shapes($table)[(string) $table]
            ?? throw MissingTrouble::table($this->system, $table, remedy: 'The table was dropped or renamed. Restore it, or remove the feed.');
    }

    public function sample(TableName $table, int $rows): array
    {
        $shape = $this->shape($table);
        $order = $shape->key === [] ? '' : ' ORDER BY '.implode(', ', array_map(fn (string $k): string => $this->spelling->name($k).' DESC', $shape->key));

        return $this->connection->rows('SELECT '.$this->rendered($shape).' FROM '.$this->spelling->table($table)."{$order} LIMIT {$rows}");
    }

    private function rendered(Shape $shape): string
    {
        return implode(', ', array_map(fn (Column $c): string => $this->spelling->rendered($c).' AS '.$this->spelling->name($c->name), $shape->columns));
    }

    public function some(FeedDefinition $definition, Sampling $which, int $rows): array
    {
        return array_map(array_values(...), $this->connection->rows((new Conditions($this->spelling, $definition))->sampling($which, $rows)));
    }

    public function lookup(TableName $table, Column $match, Column $take): LookupTable
    {
        return new SqlLookup($this->spelling, $table, $match, $take, $this->connection->rows(...));
    }

    public function facts(TableName $table, array $key = [], array $files = []): TableFacts
    {
        return (new PdoFacts($this->connection, $this->spelling, $this->now()))->facts($table, $this->shape($table), $key, $this->indexFacts($table));
    }

    public function count(FeedDefinition $definition): int
    {
        return (int) $this->connection->value('SELECT count(*) FROM '.$this->spelling->table($definition->origin->table));
    }

    public function withoutWatermark(FeedDefinition $definition): int
    {
        $column = $definition->origin->watermarkColumn();

        return $column === null ? 0 : (int) $this->connection->value(
            'SELECT count(*) FROM '.$this->spelling->table($definition->origin->table).' WHERE NOT ('.$this->spelling->isValue($definition->origin->shape->column($column)?->type, $this->spelling->name($column)).')',
        );
    }

    public function row(FeedDefinition $definition, array $key): ?array
    {
        $table = $definition->origin->table;
        $shape = $this->shape($table);
        $where = [];
        foreach ($key as $column => $value) {
            $known = $shape->column($column) ?? throw MissingTrouble::column($this->system, $table, $column);
            $where[] = $this->spelling->name($column).' = '.$this->spelling->literal($known->type, $value);
        }

        return $this->connection->row('SELECT '.$this->rendered($shape).' FROM '.$this->spelling->table($table).' WHERE '.implode(' AND ', $where).' LIMIT 1');
    }

    public function plan(FeedDefinition $definition, Position $from, ?BoundNote $note, ?TakenFiles $taken = null): ReadPlan
    {
        return Planner::plan($definition, $from, $note, $this->moment($definition), fn (Window $window): bool => $this->connection->value(
            'SELECT CASE WHEN EXISTS (SELECT 1 FROM '.$this->spelling->table($definition->origin->table).' WHERE '.(new Conditions($this->spelling, $definition))->window($window).') THEN 1 ELSE 0 END',
        ) === '1');
    }

    public function reader(FeedDefinition $definition, ReadPlan $plan): BatchReader
    {
        $session = $this->readingSession();

        return new TableReader($definition, $plan, $this->spelling, static fn (string $select): PdoStream => new PdoStream($session, $select));
    }
}
