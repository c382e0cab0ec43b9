<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Postgres\Landing;

use Lighterman\Connectors\Postgres\Server\Connection;
use Lighterman\Connectors\Postgres\Server\Sql;
use Lighterman\Core\Landing\LandedTable;
use Lighterman\Core\Port\LeaseLost;
use Lighterman\Core\Position\Position;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Trouble\Reason;
use Lighterman\Core\Trouble\SystemTrouble;

/** Takes a feed for the holder of a token, and makes the tables that it lands in. */
final readonly class Admission
{
    public function __construct(private Connection $connection, private Ledger $ledger)
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
            $preparation = (new Preparing($this->connection))->preparation($table);
            foreach ($preparation->obstacles() as $obstacle) {
                throw SystemTrouble::lasting(Reason::IncompatibleTable, "{$this->connection->settings->system}: {$obstacle->said}", (string) $obstacle->remedy);
            }
            $line = Ledger::line($feed, $fork);
            $claimed = $this->ledger->claim($line, $token, $table->name, created: ! $preparation->exists);
            $position = $fork === '' ? $claimed : $position;
            foreach ($preparation->statements as $statement) {
                $this->connection->run($statement);
            }
            $this->ledger->identify($line, $table->name);
        }

        return $position ?? $this->ledger->claim($feed, $token, $landed->name, created: false);
    }

    /**
     * @return array<string, TableName> the tables a feed lands in, by line of the ledger
     */
    public static function lines(LandedTable $landed, string $feed): array
    {
        $lines = [];
        foreach ($landed->tables() as $fork => $table) {
            $lines[Ledger::line($feed, $fork)] = $table->name;
        }

        return $lines;
    }

    /**
     * Refuses tables that have lost what was landed in them.
     *
     * @throws SystemTrouble
     */
    public function demandSame(LandedTable $landed, string $feed): void
    {
        $lines = self::lines($landed, $feed);
        $strange = $this->ledger->strange($lines);
        if ($strange === [] || ! $this->ledger->hasBegun($feed)) {
            return;
        }
        $system = $this->connection->settings->system;
        foreach ($strange as $line => $identity) {
            $trouble = $identity->trouble($system, $lines[$line]);
            if ($trouble === null && $identity->isRewritten() && $this->connection->value('SELECT EXISTS (SELECT 1 FROM '.Sql::table($lines[$line]).')') === 'f') {
                $trouble = LandedIdentity::emptied($system, $lines[$line]);
            }
            if ($trouble !== null) {
                throw $trouble;
            }
            $this->ledger->identify($line, $lines[$line]);
        }
    }
}
