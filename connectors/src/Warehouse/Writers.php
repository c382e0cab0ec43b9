<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Warehouse;

use Lighterman\Core\Landing\LandedTable;
use Lighterman\Core\Record\Batch;
use Lighterman\Core\Record\Counts;

/** Puts a feed's rows into the tables that they land in: its own, and those of its forks. Where rows are kept by key, a row stands in one of them. */
final class Writers
{
    /** The stage of keys whose rows take no table any more. */
    private const GONE = 'lighterman_gone';

    /** @var array<string, Writer> by fork */
    private readonly array $writers;

    /** Its key is of the same types as that of the others, whatever the columns are called there. */
    private readonly LandedTable $first;

    /** Whose rows are being sent; a connection takes those of one table at a time. */
    private ?Writer $current = null;

    private bool $moves = false;

    private bool $staged = false;

    public function __construct(private readonly Warehouse $at, private readonly LandedTable $landed)
    {
        $writers = [];
        foreach ($landed->tables() as $fork => $table) {
            $writers[$fork] = new Writer($at, $table, count($writers));
        }
        $this->writers = $writers;
        $this->first = array_values($landed->tables())[0];
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
            if (! $this->at->tables->isEmpty($table->name)) {
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
        $this->current = null;
        $this->moves = ($this->landed->forks->tables !== [] || $this->landed->place !== null) && $this->canMerge() && ! $straight;
        foreach ($this->writers as $writer) {
            $writer->begin($straight, $add);
        }
        if ($this->moves && ! $this->staged) {
            $this->at->session->run(...$this->at->sql->stage(self::GONE, "SELECT {$this->at->names($this->first->key)} FROM ".$this->at->sql->table($this->first->name)));
            $this->staged = true;
        }
    }

    /** @param  string  $now  the target's clock, for the stamp of delivery */
    public function write(Batch $batch, string $now): void
    {
        foreach ($batch->parts() as $fork => $lines) {
            if ($lines !== '') {
                $this->to($this->writers[$fork]);
                $this->writers[$fork]->write($batch->stamped($lines, $this->landed->as->stamps->wanted(), $now));
            }
        }
        if ($this->moves && $batch->gone !== '') {
            $this->to(null);
            $gone = new Loading($this->at, $this->at->sql->staged(self::GONE), $this->first->key);
            $gone->add($batch->gone);
            $gone->end();
        }
    }

    /** After a rollback a stage is gone if the transaction had made it. */
    public function forgetStages(): void
    {
        $this->staged = false;
        array_map(static fn (Writer $w) => $w->forgetStage(), $this->writers);
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
        foreach ($this->writers as $writer) {
            $counts = $counts->plus($writer->finish());
        }

        return $counts;
    }

    /** Rows that were read and take another fork now, or none, leave the tables they stand in. @return int how many did */
    private function leave(): int
    {
        if ($this->landed->place !== null) {
            return $this->leaveLists($this->landed->place);
        }
        $deleted = 0;
        foreach ($this->landed->tables() as $fork => $table) {
            $elsewhere = ['SELECT * FROM '.$this->at->sql->staged(self::GONE)];
            foreach ($this->writers as $other => $writer) {
                if ($other !== $fork) {
                    $elsewhere[] = 'SELECT '.$this->at->names($this->landed->tables()[$other]->key)." FROM {$writer->stage()}";
                }
            }
            $names = $this->at->names($table->key);
            $deleted += $this->at->session->outcome('DELETE FROM '.$this->at->sql->table($table->name)." WHERE ({$names}) IN (".implode(' UNION ALL ', $elsewhere).')')->affected;
        }
        $this->at->session->run($this->at->sql->emptyStage(self::GONE));

        return $deleted;
    }

    /** Elements that their list has lost, as far as it was read. @return int how many */
    private function leaveLists(string $place): int
    {
        $same = implode(' AND ', array_map(fn (string $c): string => 't.'.$this->at->sql->name($c).' = g.'.$this->at->sql->name($c), $this->landed->recordKey()));
        $place = $this->at->sql->name($place);
        $deleted = $this->at->session->outcome($this->at->sql->delete($this->at->sql->table($this->landed->name), $this->at->sql->staged(self::GONE).' g', "{$same} AND (t.{$place} > g.{$place} OR (t.{$place} = 0 AND g.{$place} > 0))"))->affected;
        $this->at->session->run($this->at->sql->emptyStage(self::GONE));

        return $deleted;
    }
}
