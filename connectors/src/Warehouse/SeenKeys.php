<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Warehouse;

use Lighterman\Core\Format\CopyText;
use Lighterman\Core\Shape\TableName;

/**
 * The keys that a load of a whole table, and the changes beside it, have brought so far: what stands in the landed table
 * and is not among them when the load ends was deleted at the source while nobody looked.
 *
 * They are kept in a table of the target, written in the transactions that land the rows, since a load may take days and
 * outlive the process. An unlogged table would be emptied by a crash, and everything be taken for deleted.
 */
final readonly class SeenKeys
{
    /** @param  string  $table  as written in SQL */
    private function __construct(private Warehouse $at, private FeedTable $landed, private string $table)
    {
    }

    /** What those of a line are kept in. */
    public static function table(string $line): TableName
    {
        return new TableName('lighterman', 'seen_'.hash('xxh64', $line));
    }

    public static function begin(Warehouse $at, FeedTable $landed, string $line): self
    {
        $table = $at->sql->table(self::table($line));
        $at->session->run("CREATE TABLE {$table} AS SELECT {$at->names($landed->landed->key)} FROM {$landed->table} WHERE 1 = 0");

        return new self($at, $landed, $table);
    }

    public static function underWay(Warehouse $at, FeedTable $landed, string $line): ?self
    {
        return $at->tables->shape(self::table($line)) === null ? null : new self($at, $landed, $at->sql->table(self::table($line)));
    }

    /** @param  iterable<list<string>>  $keys */
    public function add(iterable $keys): void
    {
        $loading = new Loading($this->at, $this->table, $this->landed->landed->key);
        foreach ($keys as $key) {
            $loading->add(CopyText::line($key));
        }
        $loading->end();
    }

    /** The condition, over `t`, for landed rows whose key was not seen. */
    public function unseen(): string
    {
        return "NOT EXISTS (SELECT 1 FROM {$this->table} s WHERE ".$this->landed->sameKey('s', 't').')';
    }

    public function drop(): void
    {
        $this->at->session->run("DROP TABLE {$this->table}");
    }
}
