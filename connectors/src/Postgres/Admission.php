<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Postgres;

use Lighterman\Core\Definition\LandedTable;
use Lighterman\Core\Port\LeaseLost;
use Lighterman\Core\Port\SystemTrouble;
use Lighterman\Core\Position\Position;

/** Takes a feed for the holder of a token, and makes the tables that it lands in. */
final readonly class Admission
{
    public function __construct(private Connection $connection, private Ledger $ledger)
    {
    }

    /**
     * Within a transaction.
     *
     * @throws LeaseLost when a newer token has been here
     * @throws SystemTrouble with reason `incompatible_table`
     */
    public function admit(LandedTable $landed, string $feed, int $token): Position
    {
        $position = null;
        foreach ($landed->tables() as $fork => $table) {
            $preparation = (new Preparing($this->connection))->preparation($table);
            foreach ($preparation->obstacles() as $obstacle) {
                throw SystemTrouble::lasting('incompatible_table', "{$this->connection->settings->system}: {$obstacle->said}", (string) $obstacle->remedy);
            }
            $claimed = $this->ledger->claim(Ledger::line($feed, $fork), $token, $table->name, created: ! $preparation->exists);
            $position = $fork === '' ? $claimed : $position;
            foreach ($preparation->statements as $statement) {
                $this->connection->run($statement);
            }
        }

        return $position ?? $this->ledger->claim($feed, $token, $landed->name, created: false);
    }
}
