<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Tests;

use Lighterman\Connectors\Postgres\Log\ReplicationStream;
use Lighterman\Connectors\Postgres\Server\Connection;
use Lighterman\Connectors\Postgres\Server\PostgresSettings;
use Lighterman\Connectors\Postgres\Source\PsqlStream;
use Lighterman\Core\Position\LogPlace;
use Lighterman\Core\Trouble\SystemTrouble;
use PHPUnit\Framework\Attributes\Test;

/** What the server refuses for want of a privilege is answered with the statement that grants it. */
final class PrivilegeTest extends PostgresCase
{
    private string $role;

    protected function setUp(): void
    {
        parent::setUp();
        $this->role = 'Narrow '.bin2hex(random_bytes(3));
        $this->gate->run("CREATE ROLE \"{$this->role}\" LOGIN PASSWORD 'x'; CREATE SCHEMA \"Low yard\"; CREATE TABLE \"Low yard\".\"Loads\" (id int PRIMARY KEY); REVOKE ALL ON SCHEMA \"Low yard\" FROM PUBLIC");
    }

    protected function tearDown(): void
    {
        $this->gate->run("REASSIGN OWNED BY \"{$this->role}\" TO CURRENT_USER; DROP OWNED BY \"{$this->role}\"; DROP ROLE \"{$this->role}\"");
        parent::tearDown();
    }

    private function narrow(): PostgresSettings
    {
        return $this->settings('weighbridge', $this->database('gate'), $this->role, 'x');
    }

    /**
     * @param  callable(): mixed  $do
     * @return list<string> the statements that had to be run before it went through
     */
    private function granted(callable $do): array
    {
        $granted = [];
        while (count($granted) < 5) {
            try {
                $do();

                return $granted;
            } catch (SystemTrouble $trouble) {
                self::assertSame('no_privilege', $trouble->reason->value, $trouble->getMessage());
                self::assertStringStartsWith('weighbridge: ', $trouble->getMessage());
                $granted[] = $statement = explode(';', $trouble->remedy()->said)[0];
                $this->gate->run($statement);
            }
        }
        self::fail(implode("\n", $granted));
    }

    #[Test]
    public function reading_asks_for_no_more_than_reading(): void
    {
        $reader = new Connection($this->narrow(), 'reader', readOnly: true);
        $wanted = ["GRANT USAGE ON SCHEMA \"Low yard\" TO \"{$this->role}\"", "GRANT SELECT ON \"Low yard\".\"Loads\" TO \"{$this->role}\""];
        self::assertSame($wanted, $this->granted(static fn () => $reader->rows('SELECT id FROM "Low yard"."Loads"')));
        $reader->close();
        $this->gate->run("REVOKE SELECT ON \"Low yard\".\"Loads\" FROM \"{$this->role}\"");
        self::assertSame([$wanted[1]], $this->granted(function (): void {
            $stream = PsqlStream::copy($this->narrow(), 'SELECT id FROM "Low yard"."Loads"');
            while ($stream->read() !== '') {
                continue;
            }
            $stream->finish();
        }));
    }

    #[Test]
    public function writing_asks_for_what_landing_needs_and_altering_for_the_table(): void
    {
        $this->gate->run("GRANT USAGE ON SCHEMA \"Low yard\" TO \"{$this->role}\"");
        $writer = new Connection($this->narrow(), 'writer', readOnly: false);
        self::assertSame(["GRANT SELECT, INSERT, UPDATE, DELETE, TRUNCATE ON \"Low yard\".\"Loads\" TO \"{$this->role}\""], $this->granted(static fn () => $writer->run('INSERT INTO "Low yard"."Loads" VALUES (1)')));
        $writer->run('UPDATE "Low yard"."Loads" SET id = 2; DELETE FROM "Low yard"."Loads"; TRUNCATE "Low yard"."Loads"');
        self::assertSame(["ALTER TABLE \"Low yard\".\"Loads\" OWNER TO \"{$this->role}\""], $this->granted(static fn () => $writer->run('ALTER TABLE "Low yard"."Loads" ADD kg int')));
        self::assertSame(['GRANT CONNECT, CREATE ON DATABASE "'.$this->database('gate')."\" TO \"{$this->role}\""], $this->granted(static fn () => $writer->run('CREATE SCHEMA fresh')));
        $writer->close();
    }

    #[Test]
    public function reading_the_change_log_asks_for_replication(): void
    {
        $this->gate->run("SELECT pg_create_logical_replication_slot('narrow', 'pgoutput'); CREATE PUBLICATION narrow");
        try {
            self::assertSame(["ALTER ROLE \"{$this->role}\" REPLICATION"], $this->granted(fn () => ReplicationStream::start($this->narrow(), 'narrow', 'narrow', LogPlace::before(0))->close()));
        } finally {
            $this->gate->run("SELECT pg_terminate_backend(active_pid, 5000) FROM pg_replication_slots WHERE slot_name = 'narrow' AND active; SELECT pg_drop_replication_slot('narrow')");
        }
    }
}
