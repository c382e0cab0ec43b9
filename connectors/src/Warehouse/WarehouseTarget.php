<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Warehouse;

use Lighterman\Core\Format\CopyText;
use Lighterman\Core\Guarantee\TargetCapabilities;
use Lighterman\Core\Landing\LandedTable;
use Lighterman\Core\Port\Holder;
use Lighterman\Core\Port\KeptFiles;
use Lighterman\Core\Port\LandingSession;
use Lighterman\Core\Port\Preparation;
use Lighterman\Core\Port\TargetSystem;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Trouble\SystemTrouble;

/** A database of SQL that rows are landed in. A kind of its own says how it is asked and what it spells. */
abstract class WarehouseTarget implements TargetSystem
{
    public function __construct(private readonly Warehouse $at)
    {
    }

    /** The same with a session of its own, which connects when it is first asked for something. */
    abstract protected function another(): Warehouse;

    public function capabilities(): TargetCapabilities
    {
        return new TargetCapabilities(transactional: true, noticesTampering: true);
    }

    public function prepare(LandedTable $landed, ?string $feed = null): Preparation
    {
        return Preparation::together(array_map(fn (LandedTable $t, string $fork): Preparation => (new Preparing($this->at))->preparation($t, $feed === null ? null : Admission::line($feed, $fork)), $landed->tables(), array_keys($landed->tables())));
    }

    public function prepareChange(LandedTable $landed, array $renamed): Preparation
    {
        $preparing = new Preparing($this->at);
        $changes = array_map(static fn (LandedTable $t, string $fork): Preparation => $preparing->change($t, $renamed[$fork] ?? []), $landed->tables(), array_keys($landed->tables()));
        $there = array_filter($changes, static fn (Preparation $p): bool => $p->exists);

        // A table that is not there yet is made when the feed next lands, not now.
        return Preparation::together(array_map(static fn (Preparation $p): Preparation => $p->exists || $there === [] ? $p : new Preparation(false, [], $p->findings), $changes));
    }

    public function explain(LandedTable $landed, array $row): string
    {
        $stamps = array_map(static fn (string $what): string => $what === 'delivered_at' ? '<the target\'s clock>' : '<the position of its batch>', array_keys($landed->as->stamps->wanted()));

        return (new Writer($this->at, $landed))->explained(CopyText::line([...$row, ...$stamps]));
    }

    public function alter(array $statements): void
    {
        // Somebody's long query must not have all of the feed's later ones wait behind this.
        $this->together(fn () => $this->at->session->run($this->at->definitions->waitAtMost(10), ...$statements));
    }

    public function landing(Holder $holder): LandingSession
    {
        return new WarehouseLanding($this->another(), $holder);
    }

    public function refuses(LandedTable $landed, string $encoded): ?SystemTrouble
    {
        $session = $this->at->session;
        // Under its own name, for the server says it in what it refuses.
        $name = $this->at->sql->name($landed->name->name);
        try {
            $session->begin();
            $session->run(...($this->at->tables->shape($landed->name) === null ? [(new Making($this->at))->table($landed, $this->at->sql->staged($name))] : $this->at->sql->trial($name, $landed->name)));
            $session->beginLoad($this->at->sql->staged($name), $landed->shape->names());
            $session->load($encoded);
            $session->endLoad();

            return null;
        } catch (SystemTrouble $trouble) {
            return $trouble->reason->concernsRecords() ? $trouble : throw $trouble;
        } finally {
            $session->rollback();
        }
    }

    public function demandKept(LandedTable $landed, string $feed): int
    {
        (new Admission($this->at))->demandSame($landed, $feed);

        return $this->at->ledger->sequence($feed);
    }

    public function discard(string $feed): void
    {
        $this->together(function () use ($feed): void {
            $tables = [...array_map(SeenKeys::table(...), $this->at->ledger->lines($feed)), ...$this->at->ledger->forget($feed)];
            $this->at->session->run(...array_map(fn (TableName $t): string => 'DROP TABLE IF EXISTS '.$this->at->sql->table($t), $tables));
        });
    }

    /** @param  callable(): void  $do */
    private function together(callable $do): void
    {
        try {
            $this->at->session->begin();
            $do();
            $this->at->session->commit();
        } finally {
            $this->at->session->rollback();
        }
    }

    public function count(TableName $table): int
    {
        return $this->at->tables->count($table);
    }

    public function files(TableName $table): ?KeptFiles
    {
        return null;
    }
}
