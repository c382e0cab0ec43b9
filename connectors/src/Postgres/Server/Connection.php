<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Postgres\Server;

use Lighterman\Core\Trouble\StatementTrouble;
use Lighterman\Core\Trouble\SystemTrouble;
use PgSql\Connection as Handle;
use PgSql\Result;

/** One session with a PostgreSQL server. Failures become SystemTrouble with the server's SQLSTATE taken into account. */
final class Connection
{
    /** What sessions that read a source are called at the server. */
    public const READER = 'lighterman reader';

    /** Rendering that neither rounds nor depends on the server's settings. */
    private const SETTINGS = '-c DateStyle=ISO,YMD -c IntervalStyle=postgres -c bytea_output=hex -c extra_float_digits=1 -c standard_conforming_strings=on';

    private const PIECE = 1 << 20;

    private ?Handle $handle = null;

    /** @var array<string, true> statements that the session keeps planned, by their names */
    private array $planned = [];

    /** The statement that was sent last. */
    private string $sent = '';

    public function __construct(
        public readonly PostgresSettings $settings,
        private readonly string $application,
        private readonly bool $readOnly,
    ) {
    }

    public static function options(bool $readOnly): string
    {
        return self::SETTINGS.($readOnly ? ' -c default_transaction_read_only=on' : '');
    }

    /**
     * @param  list<string|int|bool|null>  $parameters
     * @return list<array<string, string|null>>
     *
     * @throws SystemTrouble
     */
    public function rows(string $sql, array $parameters = []): array
    {
        $rows = [];
        foreach (pg_fetch_all($this->run($sql, $parameters), PGSQL_ASSOC) as $row) {
            /** @var array<string, string|null> $row */
            $rows[] = $row;
        }

        return $rows;
    }

    /**
     * Rows of a statement that is asked again and again: the session keeps its plan, which for a question about the catalogue costs
     * several times what the answer does.
     *
     * @param  list<string|null>  $parameters
     * @return list<array<string, string|null>>
     *
     * @throws SystemTrouble
     */
    public function again(string $sql, array $parameters): array
    {
        $handle = $this->handle();
        $name = 'lm_'.hash('xxh64', $sql);
        $this->sent = $sql;
        if (! isset($this->planned[$name])) {
            @pg_send_prepare($handle, $name, $sql);
            $this->collect();
            $this->planned[$name] = true;
        }
        @pg_send_execute($handle, $name, $parameters);
        /** @var list<array<string, string|null>> $rows */
        $rows = pg_fetch_all($this->collect()[0], PGSQL_ASSOC);

        return $rows;
    }

    /**
     * @param  list<string|int|bool|null>  $parameters
     * @return array<string, string|null>|null
     */
    public function row(string $sql, array $parameters = []): ?array
    {
        return $this->rows($sql, $parameters)[0] ?? null;
    }

    /**
     * The first column of the first row.
     *
     * @param  list<string|int|bool|null>  $parameters
     */
    public function value(string $sql, array $parameters = []): ?string
    {
        $row = $this->row($sql, $parameters);

        return $row === null ? null : array_values($row)[0];
    }

    /**
     * @param  list<string|int|bool|null>  $parameters
     * @param  bool  $single  refuses more than one statement even without parameters
     *
     * @throws SystemTrouble
     */
    public function run(string $sql, array $parameters = [], bool $single = false): Result
    {
        $handle = $this->handle();
        $this->sent = $sql;
        $given = array_map(static fn (string|int|bool|null $p): string|int|null => is_bool($p) ? ($p ? 't' : 'f') : $p, $parameters);
        $sent = $given === [] && ! $single ? @pg_send_query($handle, $sql) : @pg_send_query_params($handle, $sql, $given);
        if ($sent === false) {
            throw $this->failed();
        }
        $last = null;
        while ($result = pg_get_result($handle)) {
            if (in_array(pg_result_status($result), [PGSQL_FATAL_ERROR, PGSQL_BAD_RESPONSE], true)) {
                throw $this->failed((string) pg_result_error_field($result, PGSQL_DIAG_SQLSTATE), (string) pg_result_error_field($result, PGSQL_DIAG_MESSAGE_PRIMARY));
            }
            $last = $result;
            if (pg_result_status($result) === PGSQL_COPY_IN) {
                break;
            }
        }

        return $last ?? throw $this->failed();
    }

    /**
     * Sends statements without waiting for them. Until collect() has been called nothing else can be said.
     *
     * @throws SystemTrouble
     */
    public function send(string $sql): void
    {
        $this->sent = $sql;
        if (@pg_send_query($this->handle(), $sql) === false) {
            throw $this->failed();
        }
    }

    /**
     * Waits for what was sent, and has the server give it up once somebody wants it stopped.
     *
     * @param  callable(): bool  $stopped
     * @return bool whether it came to its end; collect() has what it gave
     */
    public function waited(callable $stopped): bool
    {
        $handle = $this->handle();
        while (pg_connection_busy($handle)) {
            if ($stopped()) {
                pg_cancel_query($handle);

                return false;
            }
            usleep(20_000);
        }

        return true;
    }

    /**
     * Waits for what was sent.
     *
     * @return list<Result> one for each statement
     *
     * @throws SystemTrouble of the first statement that failed
     */
    public function collect(): array
    {
        $results = [];
        while ($result = pg_get_result($this->handle())) {
            if (in_array(pg_result_status($result), [PGSQL_FATAL_ERROR, PGSQL_BAD_RESPONSE], true)) {
                throw $this->failed((string) pg_result_error_field($result, PGSQL_DIAG_SQLSTATE), (string) pg_result_error_field($result, PGSQL_DIAG_MESSAGE_PRIMARY));
            }
            $results[] = $result;
        }

        return $results === [] ? throw $this->failed() : $results;
    }

    /** Begins a COPY into a table; until copyEnd() the session takes nothing but rows. */
    public function copyBegin(string $into): void
    {
        $this->run("COPY {$into} FROM STDIN");
    }

    /**
     * @param  string  $encoded  text form of COPY, whole lines
     *
     * @throws SystemTrouble
     */
    public function copyPut(string $encoded): void
    {
        if (str_contains($encoded, "\0")) {
            // libpq takes a line up to there, and would lose the rest of it without a word.
            throw StatementTrouble::value($this->settings->system, "{$this->settings->system}: a zero byte cannot be written", 'Take it out of the value on the way, or have the record set aside.');
        }
        // What is handed over at once is kept whole until it is sent.
        for ($at = 0, $bytes = strlen($encoded); $at < $bytes; $at += self::PIECE) {
            if (@pg_put_line($this->handle(), $bytes <= self::PIECE ? $encoded : substr($encoded, $at, self::PIECE)) === false) {
                throw $this->failed();
            }
        }
    }

    /** @throws SystemTrouble if a row was refused */
    public function copyEnd(): void
    {
        if (@pg_end_copy($this->handle()) === false) {
            throw $this->failed();
        }
    }

    public function begin(): void
    {
        $this->run('BEGIN');
    }

    public function commit(): void
    {
        $this->run('COMMIT');
    }

    /** Ends a transaction that cannot be completed; says nothing if the session is gone already. */
    public function rollback(): void
    {
        if ($this->handle === null || pg_connection_status($this->handle) !== PGSQL_CONNECTION_OK) {
            return;
        }
        if (pg_transaction_status($this->handle) === PGSQL_TRANSACTION_ACTIVE) {
            // A COPY is under way, or statements that nobody has waited for. They are ended first: nothing else can be said
            // before, and closing a COPY would wait for ever.
            @pg_end_copy($this->handle);
            while (@pg_get_result($this->handle)) {
                continue;
            }
        }
        if (pg_transaction_status($this->handle) !== PGSQL_TRANSACTION_IDLE) {
            @pg_query($this->handle, 'ROLLBACK');
        }
    }

    public function close(): void
    {
        if ($this->handle !== null) {
            $this->rollback();
            pg_close($this->handle);
            $this->handle = null;
        }
    }

    /** Whether the session is still there, asked of the server. */
    public function alive(): bool
    {
        return $this->handle === null || (pg_connection_status($this->handle) === PGSQL_CONNECTION_OK && @pg_query($this->handle, 'SELECT 1') !== false);
    }

    private function handle(): Handle
    {
        if ($this->handle !== null && pg_connection_status($this->handle) === PGSQL_CONNECTION_OK) {
            return $this->handle;
        }
        $warning = '';
        set_error_handler(static function (int $level, string $message) use (&$warning): bool {
            $warning = $message;

            return true;
        });
        try {
            $handle = pg_connect($this->settings->conninfo($this->application, self::options($this->readOnly)), PGSQL_CONNECT_FORCE_NEW);
        } finally {
            restore_error_handler();
        }
        if ($handle === false) {
            throw Trouble::connecting($this->settings, $warning);
        }
        // The verbose form puts the SQLSTATE into messages that COPY leaves without a result object.
        pg_set_error_verbosity($handle, PGSQL_ERRORS_VERBOSE);
        // Set after connecting, so that the server's own zone stays readable as the value RESET would give.
        pg_query($handle, "SET TimeZone TO 'UTC'");

        $this->planned = [];

        return $this->handle = $handle;
    }

    private function failed(string $state = '', string $message = ''): SystemTrouble
    {
        $handle = $this->handle;
        $said = $handle === null ? '' : pg_last_error($handle);
        if ($state === '' && preg_match('/^\w+:\s+([0-9A-Z]{5}): (.*)$/m', $said, $m)) {
            [, $state, $message] = $m;
        }
        // An administrator's 57P01 and a crash's 57P02 come as results, a moment before the session is seen to be gone.
        if (in_array($state, ['57P01', '57P02'], true) || ($handle !== null && pg_connection_status($handle) !== PGSQL_CONNECTION_OK)) {
            $this->handle = null;

            return Trouble::lost($this->settings, $state);
        }

        return Trouble::fromState($this->settings, $state, $message, $this->sent, $this->readOnly);
    }
}
