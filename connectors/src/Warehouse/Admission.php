<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Warehouse;

use Lighterman\Core\Landing\LandedTable;
use Lighterman\Core\Port\LeaseLost;
use Lighterman\Core\Port\Preparation;
use Lighterman\Core\Position\Position;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Trouble\LandedTrouble;
use Lighterman\Core\Trouble\Reason;
use Lighterman\Core\Trouble\SystemTrouble;

/** Takes a feed for the holder of a token, and makes the tables that it lands in. */
final readonly class Admission
{
    public function __construct(private Warehouse $at)
    {
    }

    /**
     * Within a transaction.
     *
     * @param  bool  $anew  as LandingSession::admit() has it
     *
     * @throws LeaseLost when a newer token has been here
     * @throws SystemTrouble with reason `incompatible_table`, or when rows that had landed are there no more
     */
    public function admit(LandedTable $landed, string $feed, int $token, bool $anew): Position
    {
        $position = null;
        $anew || $this->demandSame($landed, $feed);
        foreach ($landed->tables() as $fork => $table) {
            $line = self::line($feed, $fork);
            $preparation = (new Preparing($this->at))->preparation($table, $line);
            // Somebody may have dropped it in this moment; an empty one in its place would pass for the copy.
            $preparation->exists || $anew || $this->demandSame($landed, $feed);
            $preparation->demandClear($this->at->system, $table->name);
            $this->at->ledger->takeOver($table->name, $line);
            $claimed = $this->at->ledger->claim($line, $token, $table->name, created: ! $preparation->exists);
            $position = $fork === '' ? $claimed : $position;
            $this->at->session->run(...$preparation->statements);
            $this->at->ledger->identify($line, $table->name);
        }

        return $position ?? $this->at->ledger->claim($feed, $token, $landed->name, created: false);
    }

    /** Under which line of the ledger a table is kept that a feed lands in. */
    public static function line(string $feed, string $fork): string
    {
        return $fork === '' ? $feed : "{$feed}/{$fork}";
    }

    /**
     * @return array<string, TableName> the tables a feed lands in, by line of the ledger
     */
    public static function lines(LandedTable $landed, string $feed): array
    {
        $lines = [];
        foreach ($landed->tables() as $fork => $table) {
            $lines[self::line($feed, $fork)] = $table->name;
        }

        return $lines;
    }

    /**
     * Refuses tables that have lost what was landed in them, or belong to another feed by now.
     *
     * @throws SystemTrouble
     */
    public function demandSame(LandedTable $landed, string $feed): void
    {
        $lines = self::lines($landed, $feed);
        foreach ($landed->tables() as $fork => $table) {
            $owner = (new Preparing($this->at))->ownership($table, self::line($feed, $fork));
            $owner === null || (new Preparation(true, [], [$owner]))->demandClear($this->at->system, $table->name);
        }
        $strange = $this->at->ledger->strange($lines);
        if ($strange === [] || ! $this->at->ledger->hasBegun($feed)) {
            return;
        }
        $system = $this->at->system;
        foreach ($strange as $line => $identity) {
            $trouble = $identity->trouble($system, $lines[$line]);
            if ($trouble === null && $identity->isRewritten() && $this->at->tables->isEmpty($lines[$line])) {
                $trouble = LandedTrouble::emptied($system, $lines[$line]);
            }
            if ($trouble !== null) {
                throw $trouble;
            }
            $this->at->ledger->identify($line, $lines[$line]);
        }
    }
}
