<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Warehouse;

use Lighterman\Core\Landing\LandedTable;
use Lighterman\Core\Record\Counts;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Trouble\KeyTrouble;
use Lighterman\Core\Trouble\Reason;
use Lighterman\Core\Trouble\SystemTrouble;

/** Puts encoded rows into the landed table, the way the landing asks for. Knows nothing of positions. */
final class Writer
{
    /** As written in SQL. */
    private readonly string $table;

    /** The table built beside the landed one, for `replace`. */
    private readonly TableName $beside;

    /** @var list<string> */
    private readonly array $columns;

    /** @var list<string> */
    private readonly array $key;

    private readonly string $stageName;

    private bool $straight = false;

    private bool $staged = false;

    private bool $replaces = false;

    private ?Loading $loading = null;

    /** @param  int  $number  tells writers of one session apart */
    public function __construct(private readonly Warehouse $at, private readonly LandedTable $landed, int $number = 0)
    {
        $this->table = $at->sql->table($landed->name);
        // Names are cut at 63 bytes; the hash keeps two long ones apart.
        $this->beside = new TableName($landed->name->schema, 'lm_'.hash('xxh32', (string) $landed->name).'_'.mb_strcut($landed->name->name, 0, 48, 'UTF-8'));
        $this->columns = [...$landed->shape->names(), ...array_values($landed->as->stamps->wanted())];
        $this->key = $landed->key;
        $this->stageName = 'lighterman_stage'.($number === 0 ? '' : "_{$number}");
    }

    /** The table that rows wait in to be merged, as written in SQL. */
    public function stage(): string
    {
        return $this->at->sql->staged($this->stageName);
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
        $this->replaces = $this->landed->as->landing->swaps() && ! $add;
        if ($this->replaces) {
            $beside = $this->at->sql->table($this->beside);
            $this->at->session->run("DROP TABLE IF EXISTS {$beside}", (new Making($this->at))->table($this->landed, $beside));
        } elseif ($this->canMerge() && ! $straight && ! $this->staged) {
            $this->at->session->run(...$this->at->sql->stage($this->stageName, "SELECT {$this->at->names($this->columns)} FROM {$this->table}"));
            $this->staged = true;
        }
        $this->loading = new Loading($this->at, $this->into(), $this->columns);
    }

    public function write(string $encoded): void
    {
        $this->loading?->add($encoded);
    }

    public function forgetStage(): void
    {
        $this->staged = false;
    }

    /** Lets others write over the same session. */
    public function pause(): void
    {
        $this->loading?->pause();
    }

    public function finish(): Counts
    {
        $this->loading?->end();
        $rows = (int) $this->loading?->rows();
        if ($this->replaces) {
            return new Counts(inserted: $rows, deleted: $this->at->tables->exchange($this->landed->name, $this->beside));
        }
        if (! $this->canMerge() || $this->straight) {
            return new Counts(inserted: $rows);
        }

        return $this->merge($rows);
    }

    /** What would be run to write some lines into the table as it is. */
    public function explained(string $encoded): string
    {
        $load = fn (string $into): string => $this->at->sql->loading($into, $this->columns, $encoded);

        return $this->canMerge() ? $load($this->stage())."\n\n".implode("\n\n", array_map(static fn (string $s): string => "{$s};", $this->mergeSql())) : $load($this->table);
    }

    /** @return non-empty-list<string> */
    private function mergeSql(): array
    {
        $compared = [];
        foreach ($this->landed->shape->columns as $column) {
            $compared += in_array($column->name, $this->key, true) ? [] : [$column->name => $column->type];
        }

        return $this->at->sql->merge($this->table, $this->columns, $this->key, $compared, "SELECT {$this->at->names($this->columns)} FROM {$this->stage()}");
    }

    private function into(): string
    {
        return match (true) {
            $this->replaces => $this->at->sql->table($this->beside),
            $this->canMerge() && ! $this->straight => $this->stage(),
            default => $this->table,
        };
    }

    private function merge(int $rows): Counts
    {
        $superseded = $this->landed->repeats() ? $this->at->session->outcome($this->at->sql->keepLast($this->stageName, $this->key))->affected : 0;
        $this->at->session->run('SAVEPOINT staged');
        $inserted = $updated = 0;
        $script = new Script;
        $script->add($this->mergeSql(), static function (Outcome $merged) use (&$inserted, &$updated): void {
            [$inserted, $updated] = [$merged->number('inserted'), $merged->number('updated')];
        });
        try {
            $script->run($this->at->session);
        } catch (SystemTrouble $trouble) {
            throw $this->told($trouble);
        }
        $this->at->session->run($this->at->sql->emptyStage($this->stageName));

        return new Counts($inserted, $updated, $rows - $superseded - $inserted - $updated, superseded: $superseded);
    }

    /** Names the key that two rows of the unit share, where that is what the target complained of. */
    private function told(SystemTrouble $trouble): SystemTrouble
    {
        if ($trouble->reason !== Reason::DuplicateKey) {
            return $trouble;
        }
        $this->at->session->run('ROLLBACK TO SAVEPOINT staged');
        $key = $this->at->names($this->key);
        $row = $this->at->session->outcome("SELECT {$key} FROM {$this->stage()} GROUP BY {$key} HAVING count(*) > 1 LIMIT 1")->row;

        return $row === [] ? $trouble : KeyTrouble::doubled($this->landed->source, $row);
    }
}
