<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Postgres\Landing;

use Lighterman\Connectors\Postgres\Server\Connection;
use Lighterman\Connectors\Postgres\Server\Quoted;
use Lighterman\Connectors\Postgres\Server\Sql;
use Lighterman\Connectors\Postgres\Server\TypeMap;
use Lighterman\Core\Landing\LandedTable;
use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Record\Batch;
use Lighterman\Core\Record\Counts;

/** Puts a feed's rows into the tables that they land in: its own, and those of its forks. Where rows are kept by key, a row stands in one of them. */
final class Writers
{
    private const GONE = 'pg_temp.lighterman_gone';

    /** @var array<string, Writer> by fork */
    private readonly array $writers;

    /** @var array<string, int> rows written since begin(), by fork */
    private array $rows = [];

    /** Whose rows are being sent; a connection takes those of one table at a time. */
    private ?Writer $current = null;

    private bool $moves = false;

    public function __construct(private readonly Connection $connection, private readonly LandedTable $landed)
    {
        $writers = [];
        foreach ($landed->tables() as $fork => $table) {
            $writers[$fork] = new Writer($connection, $table, count($writers));
        }
        $this->writers = $writers;
    }

    public function canMerge(): bool
    {
        return $this->landed->as->landing->merges();
    }

    /** Whether nothing that is there already can be the row of a key in another table. */
    public function mayGoStraight(): bool
    {
        if ($this->landed->forks->tables === [] || ! $this->canMerge()) {
            return true;
        }
        foreach ($this->landed->tables() as $table) {
            if ($this->connection->value('SELECT EXISTS (SELECT 1 FROM '.Sql::table($table->name).')') === 't') {
                return false;
            }
        }

        return true;
    }

    /**
     * @param  bool  $straight  whether rows may be inserted without looking for their keys
     * @param  bool  $add  whether they are added to what is there, even where the landing replaces it
     */
    public function begin(bool $straight, bool $add = false): void
    {
        $this->rows = array_fill_keys(array_keys($this->writers), 0);
        $this->current = null;
        $this->moves = $this->landed->forks->tables !== [] && $this->canMerge() && ! $straight;
        foreach ($this->writers as $writer) {
            $writer->begin($straight, $add);
        }
        if ($this->moves) {
            $key = implode(', ', array_map(fn (string $k): string => Quoted::name($k).' '.TypeMap::write($this->landed->shape->column($k)->type ?? throw new \LogicException("The key {$k} does not land.")), $this->landed->key));
            $this->connection->run("CREATE TEMP TABLE IF NOT EXISTS lighterman_gone ({$key}) ON COMMIT DELETE ROWS");
        }
    }

    /** @param  string  $now  the target's clock, for the stamp of delivery */
    public function write(Batch $batch, string $now): void
    {
        foreach ($batch->parts() as $fork => $lines) {
            if ($lines !== '') {
                $this->to($this->writers[$fork]);
                $this->writers[$fork]->write($batch->stamped($lines, $this->landed->as->stamps->wanted(), $now));
                $this->rows[$fork] += substr_count($lines, "\n");
            }
        }
        if ($this->moves && $batch->gone !== '') {
            $this->to(null);
            $this->connection->copy(self::GONE, Quoted::names($this->landed->key), $batch->gone);
        }
    }

    private function to(?Writer $writer): void
    {
        if ($this->current !== $writer) {
            $this->current?->pause();
            $this->current = $writer;
        }
    }

    public function finish(): Counts
    {
        $this->to(null);
        $counts = new Counts(0, deleted: $this->moves ? $this->leave() : 0);
        foreach ($this->writers as $fork => $writer) {
            $counts = $counts->plus($writer->finish($this->rows[$fork]));
        }

        return $counts;
    }

    /** Rows that were read and take another fork now, or none, leave the tables they stand in. @return int how many did */
    private function leave(): int
    {
        $deleted = 0;
        foreach ($this->landed->tables() as $fork => $table) {
            $elsewhere = ['SELECT * FROM '.self::GONE];
            foreach ($this->writers as $other => $writer) {
                if ($other !== $fork) {
                    $elsewhere[] = 'SELECT '.Quoted::names($this->landed->tables()[$other]->key)." FROM {$writer->stage()}";
                }
            }
            $names = Quoted::names($table->key);
            $deleted += $this->connection->affected('DELETE FROM '.Sql::table($table->name)." WHERE ({$names}) IN (".implode(' UNION ALL ', $elsewhere).')');
        }

        return $deleted;
    }
}
