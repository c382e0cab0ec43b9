<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Postgres\Landing;

use Lighterman\Connectors\Postgres\Server\Connection;
use Lighterman\Connectors\Postgres\Server\Quoted;
use Lighterman\Connectors\Postgres\Server\Sql;
use Lighterman\Core\Landing\LandedTable;
use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Record\Counts;
use Lighterman\Core\Trouble\Reason;
use Lighterman\Core\Trouble\SystemTrouble;

/** Puts encoded rows into the landed table, the way the landing asks for. Knows nothing of positions. */
final class Writer
{
    private readonly string $table;

    /** The table built beside the landed one, for `replace`. */
    private readonly string $beside;

    private readonly string $columns;

    private bool $straight = false;

    private bool $staged = false;

    private bool $replaces = false;

    private bool $copying = false;

    /** By the server's count, when the unit began; null where it keeps none. */
    private ?int $arrivedBefore = null;

    /** @param  int  $number  tells writers of one session apart */
    public function __construct(private readonly Connection $connection, private readonly LandedTable $landed, private readonly int $number = 0)
    {
        $this->table = Sql::table($landed->name);
        $this->beside = Quoted::name($landed->name->schema).'.'.Quoted::name($this->besideName());
        $this->columns = Quoted::names([...$landed->shape->names(), ...array_values($landed->as->stamps->wanted())]);
    }

    /** The table that rows wait in to be merged, as written in SQL. */
    public function stage(): string
    {
        return "pg_temp.{$this->stageName()}";
    }

    private function stageName(): string
    {
        return 'lighterman_stage'.($this->number === 0 ? '' : "_{$this->number}");
    }

    private function canMerge(): bool
    {
        return $this->landed->as->landing->merges();
    }

    /**
     * @param  bool  $straight  whether rows may be inserted without looking for their keys
     * @param  bool  $add  whether they are added to what is there, even where the landing replaces it
     */
    public function begin(bool $straight, bool $add = false): void
    {
        $this->straight = $straight;
        $this->copying = false;
        $this->replaces = $this->landed->as->landing->swaps() && ! $add;
        if ($this->replaces) {
            $this->connection->run("DROP TABLE IF EXISTS {$this->beside}");
            $this->connection->run(Preparing::createTable($this->landed, $this->beside));
        } elseif ($this->canMerge() && ! $straight && ! $this->staged) {
            $this->connection->run("CREATE TEMP TABLE {$this->stageName()} ON COMMIT DELETE ROWS AS SELECT {$this->columns} FROM {$this->table} WITH NO DATA");
        }
        $this->arrivedBefore = $this->connection->insertedInto($this->into());
    }

    public function write(string $encoded): void
    {
        if ($encoded === '') {
            return;
        }
        if (! $this->copying) {
            $this->connection->copyBegin($this->into().' ('.$this->columns.')');
            $this->copying = true;
        }
        $this->connection->copyPut($encoded);
    }

    /** Lets others write over the same connection. */
    public function pause(): void
    {
        if ($this->copying) {
            $this->copying = false;
            $this->connection->copyEnd();
        }
    }

    /** @param  int  $rows rows written since begin() */
    public function finish(int $rows): Counts
    {
        $this->pause();
        $this->connection->demandArrived($this->into(), $this->arrivedBefore, $rows);
        if ($this->replaces) {
            return (new Swap($this->connection, $this->landed))->swap($this->table, $this->besideName(), $rows);
        }
        if (! $this->canMerge() || $this->straight) {
            return new Counts(inserted: $rows);
        }

        return $this->merge($rows);
    }

    /** What would be run to write some lines into the table as it is. */
    public function explained(string $encoded): string
    {
        $copy = static fn (string $into, string $columns): string => "COPY {$into} ({$columns}) FROM STDIN;\n{$encoded}\\.";

        return $this->canMerge() ? $copy($this->stage(), $this->columns)."\n\n".$this->mergeSql().';' : $copy($this->table, $this->columns);
    }

    private function mergeSql(): string
    {
        $columns = [...$this->landed->shape->names(), ...array_values($this->landed->as->stamps->wanted())];
        $others = array_values(array_diff($this->landed->shape->names(), $this->landed->key));

        return Sql::merge($this->landed, $this->table, $columns, $others, "SELECT {$this->columns} FROM ".$this->stage());
    }

    private function into(): string
    {
        return match (true) {
            $this->replaces => $this->beside,
            $this->canMerge() && ! $this->straight => $this->stage(),
            default => $this->table,
        };
    }

    private function merge(int $rows): Counts
    {
        $superseded = $this->landed->repeats() ? $this->connection->affected($this->supersededSql()) : 0;
        $this->connection->run('SAVEPOINT staged');
        try {
            $row = $this->connection->row($this->mergeSql());
        } catch (SystemTrouble $trouble) {
            throw $this->told($trouble);
        }
        $this->staged = true;
        // The stage empties itself at commit, so a unit that fails leaves it as it was.
        [$inserted, $updated] = [(int) ($row['inserted'] ?? 0), (int) ($row['updated'] ?? 0)];

        return new Counts($inserted, $updated, $rows - $superseded - $inserted - $updated, superseded: $superseded);
    }

    /** Takes out the staged rows after which another of the same key came. The stage is only ever added to, so that its rows stand in their order. */
    private function supersededSql(): string
    {
        $key = Quoted::names($this->landed->key);

        return "DELETE FROM {$this->stage()} s USING (SELECT ctid AS place, row_number() OVER (PARTITION BY {$key} ORDER BY ctid DESC) AS n FROM {$this->stage()}) d WHERE s.ctid = d.place AND d.n > 1";
    }

    /** Names the key that two rows of the unit share, where that is what the target complained of. */
    private function told(SystemTrouble $trouble): SystemTrouble
    {
        if (! str_contains($trouble->getMessage(), 'a second time')) {
            return $trouble;
        }
        $this->connection->run('ROLLBACK TO staged');
        $key = Quoted::names($this->landed->key);
        $row = $this->connection->row("SELECT {$key} FROM ".$this->stage()." GROUP BY {$key} HAVING count(*) > 1 LIMIT 1") ?? [];
        $said = implode(', ', array_map(static fn (string $c, ?string $v): string => "{$c} = {$v}", array_keys($row), $row));

        return SystemTrouble::lasting(Reason::DuplicateKey, "{$this->landed->source}: more than one row has {$said}, so the key does not tell rows apart.", 'Choose a key that no two rows share. Nothing of the batch was written.');
    }

    private function besideName(): string
    {
        // PostgreSQL cuts names at 63 bytes; the hash keeps two long names apart.
        return 'lm_'.hash('xxh32', (string) $this->landed->name).'_'.mb_strcut($this->landed->name->name, 0, 48, 'UTF-8');
    }
}
