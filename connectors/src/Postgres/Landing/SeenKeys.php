<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Postgres\Landing;

use Lighterman\Connectors\Postgres\Server\Connection;
use Lighterman\Connectors\Postgres\Server\Quoted;
use Lighterman\Core\Format\CopyText;

/**
 * The keys that a load of a whole table, and the changes beside it, have brought so far: what stands in the landed table
 * and is not among them when the load ends was deleted at the source while nobody looked.
 *
 * They are kept in a table of the target, written in the transactions that land the rows, since a load may take days and
 * outlive the process. An unlogged table would be emptied by a crash, and everything be taken for deleted.
 */
final readonly class SeenKeys
{
    private string $keys;

    private function __construct(private Connection $connection, private FeedTable $landed, private string $table)
    {
        $this->keys = Quoted::names($landed->landed->key);
    }

    /** What they are kept in, as written in SQL. */
    public static function table(string $feed): string
    {
        return 'lighterman.'.Quoted::name('seen_'.hash('xxh64', $feed));
    }

    public static function begin(Connection $connection, FeedTable $landed, string $feed): self
    {
        $table = self::table($feed);
        $connection->run("CREATE TABLE {$table} AS SELECT ".Quoted::names($landed->landed->key)." FROM {$landed->table} WITH NO DATA");

        return new self($connection, $landed, $table);
    }

    public static function underWay(Connection $connection, FeedTable $landed, string $feed): ?self
    {
        $table = self::table($feed);

        return $connection->value('SELECT to_regclass($1)', [$table]) === null ? null : new self($connection, $landed, $table);
    }

    /** @param  iterable<list<string>>  $keys */
    public function add(iterable $keys): void
    {
        $lines = [];
        foreach ($keys as $key) {
            $lines[] = CopyText::line($key);
        }
        if ($lines !== []) {
            $this->connection->copy($this->table, $this->keys, implode('', $lines));
        }
    }

    /** The condition, over `t`, for landed rows whose key was not seen. */
    public function unseen(): string
    {
        return "NOT EXISTS (SELECT 1 FROM {$this->table} s WHERE ".$this->landed->sameKey('s', 't').')';
    }

    public function drop(): void
    {
        $this->connection->run("DROP TABLE {$this->table}");
    }
}
