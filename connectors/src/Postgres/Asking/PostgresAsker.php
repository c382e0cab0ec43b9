<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Postgres\Asking;

use Lighterman\Connectors\Postgres\Server\Connection;
use Lighterman\Connectors\Postgres\Server\PostgresSettings;
use Lighterman\Core\Port\Asker;
use Lighterman\Core\Port\QueryResult;
use Lighterman\Core\Shape\TableName;

/** Asks landed tables of a PostgreSQL database under a role that may do nothing but read them. */
final readonly class PostgresAsker implements Asker
{
    /**
     * @param  PostgresSettings  $house  with the account that lands
     * @param  PostgresSettings  $asker  with the account that asks
     * @param  list<TableName>  $tables
     */
    public function __construct(private PostgresSettings $house, private PostgresSettings $asker, private array $tables)
    {
    }

    public function query(string $sql, int $rowLimit, int $seconds, ?callable $stopped = null): QueryResult
    {
        $sql = AskedStatement::text($sql);
        $house = new Connection($this->house, 'lighterman target', readOnly: false);
        try {
            (new AskedStatement($house, $sql))->demandHarmless($this->tables);
            AskedStatement::allow($house, $this->asker->user, $this->tables);
        } finally {
            $house->close();
        }

        return (new ReadOnlyQuery($this->asker))->run($sql, $rowLimit, $seconds, $stopped);
    }
}
