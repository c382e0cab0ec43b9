<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Postgres\Landing;

use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Trouble\Reason;
use Lighterman\Core\Trouble\SystemTrouble;

/**
 * What the catalogue called a landed table when it was landed in last, and what it calls it now: the number of the table,
 * of the file that holds its rows, and of each column.
 */
final readonly class LandedIdentity
{
    /** In SQL, for the table whose quoted name is $2; null when there is none. */
    public const EXPRESSION = "(SELECT c.oid || '/' || coalesce(pg_relation_filenode(c.oid), 0) || '/' || (SELECT json_object_agg(attname, attnum) FROM pg_attribute a WHERE a.attrelid = c.oid AND attnum > 0 AND NOT attisdropped) FROM pg_class c WHERE c.oid = to_regclass($2))";

    public function __construct(private string $was, private ?string $now)
    {
    }

    /** Whether only the file is another one, as after VACUUM FULL and TRUNCATE alike. */
    public function isRewritten(): bool
    {
        return $this->trouble('', new TableName('', '')) === null && $this->part($this->was, 1) !== $this->part((string) $this->now, 1);
    }

    /** @return SystemTrouble|null null when rows that had landed may still be there */
    public function trouble(string $system, TableName $landed): ?SystemTrouble
    {
        if ($this->now === null) {
            return self::lost(Reason::LandedGone, "{$system}: the landed table {$landed} is gone; somebody dropped or renamed it.");
        }
        if ($this->part($this->was, 0) !== $this->part($this->now, 0)) {
            return self::lost(Reason::LandedReplaced, "{$system}: the landed table {$landed} is another one than that which was landed in; somebody dropped it and made it again.");
        }
        $now = $this->columns($this->now);
        foreach ($this->columns($this->was) as $column => $number) {
            if (isset($now[$column]) && $now[$column] !== $number) {
                return self::lost(Reason::LandedColumn, "{$system}: column {$column} of {$landed} is another one than that which was landed in; somebody dropped it and added it again, so that its values are gone.");
            }
        }

        return null;
    }

    public static function emptied(string $system, TableName $landed): SystemTrouble
    {
        return self::lost(Reason::LandedEmptied, "{$system}: the landed table {$landed} was emptied by somebody else.");
    }

    private static function lost(Reason $reason, string $message): SystemTrouble
    {
        return SystemTrouble::lasting($reason, $message, 'Load the table again (Set-up, Load again; or bin/lighterman feed:load): the landed table is made if it has to be, and filled anew. Resuming without that would leave rows out, and is refused. A feed of files is started over there instead.');
    }

    private function part(string $identity, int $part): string
    {
        return explode('/', $identity, 3)[$part];
    }

    /** @return array<string, int> */
    private function columns(string $identity): array
    {
        return (array) json_decode($this->part($identity, 2), true, 4, JSON_THROW_ON_ERROR);
    }
}
