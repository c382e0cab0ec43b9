<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Postgres\Landing;

use Lighterman\Connectors\Postgres\Server\Connection;
use Lighterman\Connectors\Postgres\Server\Quoted;
use Lighterman\Connectors\Postgres\Server\Reach;
use Lighterman\Core\Port\Finding;
use Lighterman\Core\Trouble\SystemTrouble;

/** Tests a PostgreSQL database as a target, by doing in a transaction that is rolled back what landing will do. */
final readonly class TargetChecks
{
    public function __construct(private Connection $connection)
    {
    }

    /** @return list<Finding> */
    public function findings(): array
    {
        $reach = Reach::findings($this->connection);
        if (array_filter($reach, static fn (Finding $f): bool => $f->result === 'failed')) {
            return $reach;
        }
        if ($this->connection->value('SELECT pg_is_in_recovery()') === 't') {
            return [...$reach, Finding::failed('Writing', 'The server is a standby and takes no writes.', 'Name the primary server.')];
        }

        return [...$reach, ...$this->writing()];
    }

    /** @return list<Finding> */
    private function writing(): array
    {
        $user = Quoted::name($this->connection->settings->user);
        $database = Quoted::name($this->connection->settings->database);
        try {
            $this->connection->begin();
            $this->connection->run('CREATE SCHEMA lighterman_test');
            $schema = Finding::passed('New schemas', 'Schemas may be created.');
            $this->connection->run('CREATE TABLE lighterman_test.probe (id bigint PRIMARY KEY)');
            $this->connection->run('INSERT INTO lighterman_test.probe VALUES (1)');

            return [$schema, Finding::passed('Writing', 'A table may be created and written to. The test was rolled back.')];
        } catch (SystemTrouble $trouble) {
            return [isset($schema)
                ? Finding::failed('Writing', $trouble->getMessage(), (string) $trouble->remedy())
                : Finding::failed('New schemas', "User {$this->connection->settings->user} may not create schemas in {$this->connection->settings->database}: {$trouble->getMessage()}", "GRANT CREATE ON DATABASE {$database} TO {$user}; or create the schema lighterman and each landed schema with {$user} as owner.")];
        } finally {
            $this->connection->rollback();
        }
    }
}
