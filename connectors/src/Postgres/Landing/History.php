<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Postgres\Landing;

use Lighterman\Connectors\Postgres\Server\Connection;
use Lighterman\Connectors\Postgres\Server\Quoted;
use Lighterman\Connectors\Postgres\Server\Sql;
use Lighterman\Core\Landing\LandedTable;
use Lighterman\Core\Port\LandedEntry;
use Lighterman\Core\Port\LandedHistory;

/** Reads every change to one key out of a journal or a table of versions. */
final readonly class History
{
    public function __construct(private Connection $connection)
    {
    }

    /** @param  array<string, string>  $key */
    public function of(LandedTable $landed, array $key, int $most): LandedHistory
    {
        $technical = $landed->technical();
        $name = static fn (string $what): string => isset($technical[$what]) ? Quoted::name($technical[$what]->name) : 'NULL::text';
        $made = $landed->as->landing->keepsVersions() ? $name('valid_from') : $name('changed_at');
        $select = implode(', ', [
            "{$name('change_kind')} AS lm_kind", "{$name('source_position')} AS lm_place", "{$made}::text AS lm_made", "{$name('delivered_at')}::text AS lm_landed",
            'to_json('.$name('not_sent').')::text AS lm_not_sent', Quoted::names($landed->shape->names()),
        ]);
        [$where, $values] = Sql::keyEquals($landed->shape, $key);
        // A journal entry of a key that was given up stands under the new key, with the old one in what the row was before.
        $rows = $this->connection->rows("SELECT {$select} FROM ".Sql::table($landed->name)." WHERE {$where} ORDER BY {$name('source_position')} DESC LIMIT ".($most + 1), $values);
        $cut = count($rows) > $most;

        return new LandedHistory(array_map(static function (array $row): LandedEntry {
            $values = array_filter($row, static fn (string $c): bool => ! str_starts_with($c, 'lm_'), ARRAY_FILTER_USE_KEY);

            return new LandedEntry((string) $row['lm_kind'], (string) $row['lm_place'], (string) $row['lm_made'], $row['lm_landed'], $values, $row['lm_not_sent'] === null ? [] : json_decode($row['lm_not_sent'], true));
        }, array_reverse(array_slice($rows, 0, $most))), $cut);
    }
}
