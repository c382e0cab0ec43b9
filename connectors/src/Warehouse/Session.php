<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Warehouse;

use Lighterman\Core\Trouble\SystemTrouble;

/** One session with a SQL warehouse. Every method may throw SystemTrouble; of what the server says, no values of rows are in it. */
interface Session
{
    public function begin(): void;

    public function commit(): void;

    /** Ends a transaction that cannot be completed; says nothing if the session is gone already. */
    public function rollback(): void;

    public function close(): void;

    /** Runs statements and waits for them. */
    public function run(string ...$statements): void;

    /** Runs a statement and waits for it. */
    public function outcome(string $statement): Outcome;

    /**
     * Sends statements and goes on without waiting, where the server can do that. Until collect() has been called nothing else
     * can be said.
     *
     * @param  non-empty-list<string>  $statements
     */
    public function send(array $statements): void;

    /**
     * Waits for what was sent.
     *
     * @return list<Outcome> one for each statement
     *
     * @throws SystemTrouble of the first statement that failed
     */
    public function collect(): array;

    /**
     * Begins to load lines into a table; until endLoad() the session takes nothing else.
     *
     * @param  string  $into  as written in SQL
     * @param  list<string>  $columns
     */
    public function beginLoad(string $into, array $columns): void;

    /** @param  string  $lines  whole ones, as CopyText writes them */
    public function load(string $lines): void;

    public function endLoad(): void;

    /**
     * Rows that this session has put into a table, by the server's own count; null where it keeps none. It may begin anew,
     * but never within a transaction.
     *
     * @param  string  $table  as written in SQL
     */
    public function arrivedIn(string $table): ?int;
}
