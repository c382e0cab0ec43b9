<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Postgres\Source;

use Lighterman\Connectors\Postgres\Server\Connection;
use Lighterman\Connectors\Postgres\Server\PostgresSettings;
use Lighterman\Connectors\Postgres\Server\Trouble;
use Lighterman\Connectors\Reading\RowStream;
use Lighterman\Core\Trouble\MissingTrouble;
use Lighterman\Core\Trouble\Reason;
use Lighterman\Core\Trouble\SystemTrouble;

/** One COPY … TO STDOUT run by a psql child, read as a stream of bytes: PHP's own functions can only collect a COPY whole. */
final class PsqlStream implements RowStream
{
    /**
     * @param  resource  $process
     * @param  resource  $out
     * @param  resource  $err
     */
    private function __construct(private readonly PostgresSettings $settings, private readonly string $select, private $process, private $out, private $err)
    {
    }

    /** @throws SystemTrouble if psql cannot be started */
    public static function copy(PostgresSettings $settings, string $select): self
    {
        $environment = $settings->environment(Connection::READER, Connection::options(readOnly: true)) + ['PATH' => (string) getenv('PATH'), 'LC_ALL' => 'C'];
        $process = proc_open(
            ['psql', '-X', '-q', '-v', 'ON_ERROR_STOP=1', '-v', 'VERBOSITY=verbose', '-f', '-'],
            [['pipe', 'r'], ['pipe', 'w'], ['pipe', 'w']],
            $pipes,
            null,
            $environment,
        );
        if ($process === false) {
            throw MissingTrouble::tool(Reason::NoPsql, 'psql', 'The program psql could not be started.', 'Install the PostgreSQL client (Debian: postgresql-client).');
        }
        // The statement goes through the pipe, not the command line, since positions are values of rows.
        fwrite($pipes[0], "SET TimeZone TO 'UTC';\nCOPY ({$select}) TO STDOUT;\n");
        fclose($pipes[0]);
        stream_set_read_buffer($pipes[1], 0);

        return new self($settings, $select, $process, $pipes[1], $pipes[2]);
    }

    public function read(): string
    {
        return (string) fread($this->out, 262_144);
    }

    public function finish(): void
    {
        $said = (string) stream_get_contents($this->err);
        $code = $this->end();
        if ($code === 0) {
            return;
        }
        if (preg_match('/FATAL:\s+(57P0[12]):/', $said, $m)) {
            throw Trouble::lost($this->settings, $m[1]);
        }
        if (preg_match('/ERROR:\s+([0-9A-Z]{5}): (.*)$/m', $said, $m)) {
            throw Trouble::fromState($this->settings, $m[1], $m[2], $this->select, reads: true);
        }
        throw preg_match('/connection to server.*failed: (.*)$/ms', $said, $m)
            ? Trouble::connecting($this->settings, $m[1])
            : Trouble::lost($this->settings, '');
    }

    public function close(): void
    {
        proc_terminate($this->process);
        $this->end();
    }

    private function end(): int
    {
        fclose($this->out);
        fclose($this->err);

        return proc_close($this->process);
    }
}
