<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Kinds;

use Lighterman\Connectors\Files\FilesConnector;
use Lighterman\Connectors\Lake\LakeConnector;
use Lighterman\Connectors\MariaDb\MariaDbConnector;
use Lighterman\Connectors\Postgres\PostgresConnector;
use Lighterman\Connectors\Sqlite\SqliteConnector;
use Lighterman\Core\Port\Connector;
use LogicException;

/** The kinds of system there are connectors for. This is the only list of them. */
final class Connectors
{
    /** @return array<string, Connector> by kind, as pages offer them */
    public static function all(): array
    {
        static $all = null;

        return $all ??= array_column(array_map(static fn (Connector $c): array => [$c->kind(), $c], [
            new PostgresConnector, new MariaDbConnector, new SqliteConnector, new LakeConnector(false), new LakeConnector(true), new FilesConnector(false), new FilesConnector(true),
        ]), 1, 0);
    }

    public static function named(string $kind): Connector
    {
        return self::all()[$kind] ?? throw new LogicException("There is no connector for systems of kind {$kind}.");
    }

    /**
     * @param  callable(Connector): bool  $are
     * @return list<string>
     */
    public static function kinds(callable $are): array
    {
        return array_values(array_map(static fn (Connector $c): string => $c->kind(), array_filter(self::all(), $are)));
    }
}
