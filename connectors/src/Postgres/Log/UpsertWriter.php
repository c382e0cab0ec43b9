<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Postgres\Log;

use Lighterman\Connectors\Postgres\Connection;
use Lighterman\Connectors\Postgres\Counts;
use Lighterman\Core\Capture\Log\Lsn;
use Lighterman\Core\Format\CopyText;
use Lighterman\Core\Landing\ChangePlan;
use Lighterman\Core\Landing\Deletes;
use Lighterman\Core\Landing\NetChanges;
use Lighterman\Core\Landing\SourceCommit;
use LogicException;

/** Keeps one row per key: net changes are merged, deletes applied, marked or ignored. */
final class UpsertWriter implements ChangeWriter
{
    /** @var list<string> columns of the stage that lines of this landing fill */
    private readonly array $columns;

    private readonly string $into;

    private readonly string $conflict;

    public function __construct(private readonly Connection $connection, private readonly FeedTable $table)
    {
        $this->columns = [...$table->carried, ...$table->having('source_position', 'deleted_at')];
        $stamps = $table->having('delivered_at');
        $this->into = Connection::names([...$this->columns, ...$stamps]);
        $key = $table->definition->key;
        $others = array_values(array_diff($table->carried, $key));
        $compared = [...$others, ...$table->having('deleted_at')];
        $set = implode(', ', array_map(static fn (string $c): string => Connection::name($c).' = excluded.'.Connection::name($c), array_diff([...$this->columns, ...$stamps], $key)));
        $this->conflict = 'ON CONFLICT ('.Connection::names($key).') DO '.($compared === [] ? 'NOTHING'
            : "UPDATE SET {$set} WHERE (".$table->compared('t', $compared).') IS DISTINCT FROM ('.$table->compared('excluded', $compared).')');
    }

    public function write(ChangePlan $plan, string $now): Counts
    {
        if (! $plan instanceof NetChanges) {
            throw new LogicException('Landing upsert takes net changes.');
        }
        [$lines, $patches, $deletes] = $this->lines($plan);
        if ($lines === '') {
            return new Counts(0, unchanged: $plan->lines());
        }
        $this->table->stage($this->columns, $lines);
        $stamp = $this->table->technical('delivered_at') === null ? '' : ', '.Connection::literal($now);
        $inserted = $updated = 0;
        $own = implode(', ', array_map(static fn (string $c): string => 's.'.Connection::name($c), $this->table->having('source_position', 'deleted_at')));
        if ($patches > 0) {
            // Values that were not sent are read from the rows as they stand, before anything of this part changes them.
            [$i, $u] = $this->merge("SELECT {$this->table->filled('s', 'o')}".($own === '' ? '' : ", {$own}")."{$stamp} FROM pg_temp.{$this->table->stage} s JOIN {$this->table->table} o ON ".$this->table->keyIs('o', 's.lm_from')." WHERE s.lm_op = 'p'");
            [$inserted, $updated] = [$i, $u];
        }
        $deleted = $deletes > 0 ? $this->delete() : 0;
        [$i, $u] = $this->merge('SELECT '.Connection::names($this->columns)."{$stamp} FROM pg_temp.{$this->table->stage} WHERE lm_op = 'w'");
        $this->table->clearStage();

        return (new Counts($inserted + $i, $updated + $u, $plan->lines() - $inserted - $i - $updated - $u - $deleted, $deleted))->of($lines);
    }

    /** @return array{string, int, int} lines for the stage, how many lack values, how many are deletes */
    private function lines(NetChanges $plan): array
    {
        $lines = [];
        $patches = $deletes = 0;
        $place = $this->table->technical('source_position') !== null;
        $mark = $this->table->technical('deleted_at') !== null;
        $ignore = $this->table->definition->deletes === Deletes::Ignore;
        $commit = null;
        $tail = $deletedTail = '';
        foreach ($plan->net() as $net) {
            if ($commit !== $net->commit) {
                $commit = $net->commit;
                $tail = ($place ? "\t".Lsn::text($commit->lsn) : '');
                $deletedTail = $tail.($mark ? "\t".$commit->time() : '')."\n";
                $tail .= $mark ? "\t\\N\n" : "\n";
            }
            if ($net->delete) {
                if ($ignore) {
                    continue;
                }
                $deletes++;
                $lines[] = "d\t\\N\t\\N\t".self::fields($net->row).$deletedTail;
            } elseif ($net->from === null) {
                $lines[] = "w\t\\N\t\\N\t".self::fields($net->row).$tail;
            } else {
                $patches++;
                $lines[] = "p\t".FeedTable::unsent($net->row)."\t".CopyText::field(FeedTable::arrayText($net->from))."\t".self::fields($net->row).$tail;
            }
        }

        return [implode('', $lines), $patches, $deletes];
    }

    /** @param  list<string|false|null>  $row */
    private static function fields(array $row): string
    {
        $fields = [];
        foreach ($row as $value) {
            $fields[] = $value === null || $value === false ? '\\N' : CopyText::field($value);
        }

        return implode("\t", $fields);
    }

    private function delete(): int
    {
        $mark = $this->table->technical('deleted_at');
        $where = $this->table->sameKey('t', 's')." AND s.lm_op = 'd'";
        if ($mark === null) {
            return $this->connection->affected("DELETE FROM {$this->table->table} t USING pg_temp.{$this->table->stage} s WHERE {$where}");
        }
        $set = implode(', ', array_map(static fn (string $c): string => Connection::name($c).' = s.'.Connection::name($c), $this->table->having('deleted_at', 'source_position')));

        return $this->connection->affected("UPDATE {$this->table->table} t SET {$set} FROM pg_temp.{$this->table->stage} s WHERE {$where} AND t.".Connection::name($mark).' IS NULL');
    }

    /** @return array{int, int} rows inserted and updated */
    private function merge(string $select): array
    {
        $row = $this->connection->row("WITH landed AS (INSERT INTO {$this->table->table} AS t ({$this->into}) {$select} {$this->conflict} RETURNING t.xmax = 0 AS inserted)
            SELECT count(*) FILTER (WHERE inserted) AS inserted, count(*) FILTER (WHERE NOT inserted) AS updated FROM landed");

        return [(int) ($row['inserted'] ?? 0), (int) ($row['updated'] ?? 0)];
    }

    public function truncate(SourceCommit $commit, int $number, string $now): Counts
    {
        $mark = $this->table->technical('deleted_at');

        return new Counts(0, deleted: match (true) {
            $this->table->definition->deletes === Deletes::Ignore => 0,
            $mark === null => $this->connection->affected("DELETE FROM {$this->table->table}"),
            default => $this->connection->affected("UPDATE {$this->table->table} SET ".Connection::name($mark).' = '.Connection::literal($commit->time()).' WHERE '.Connection::name($mark).' IS NULL'),
        });
    }
}
