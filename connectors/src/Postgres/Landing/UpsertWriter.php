<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Postgres\Landing;

use Lighterman\Connectors\Postgres\Server\Connection;
use Lighterman\Connectors\Postgres\Server\Quoted;
use Lighterman\Connectors\Postgres\Server\Sql;
use Lighterman\Core\Format\CopyText;
use Lighterman\Core\Landing\ChangePlan;
use Lighterman\Core\Landing\Deletes;
use Lighterman\Core\Landing\NetChanges;
use Lighterman\Core\Landing\SourceCommit;
use Lighterman\Core\Record\Counts;
use LogicException;

/** Keeps one row per key: net changes are merged, deletes applied, marked or ignored. */
final class UpsertWriter implements ChangeWriter
{
    /** @var list<string> columns of the stage that lines of this landing fill */
    private readonly array $columns;

    /** @var list<string> */
    private readonly array $compared;

    public function __construct(private readonly Connection $connection, private readonly FeedTable $table)
    {
        $this->columns = [...$table->carried, ...$table->having('source_position', 'deleted_at')];
        $this->compared = [...array_values(array_diff($table->carried, $table->landed->key)), ...$table->having('deleted_at')];
    }

    public function write(ChangePlan $plan, string $now): callable|Counts
    {
        if (! $plan instanceof NetChanges) {
            throw new LogicException('Landing upsert takes net changes.');
        }
        [$lines, $patches, $deletes] = $this->lines($plan);
        $written = $plan->lines();
        if ($lines === '') {
            return new Counts(0, unchanged: $written);
        }
        $this->table->stage($this->columns, $lines);
        $stage = "pg_temp.{$this->table->stage}";
        $stamp = $this->table->technical('delivered_at') === null ? '' : ', '.Quoted::literal($now);
        $own = implode(', ', array_map(static fn (string $c): string => 's.'.Quoted::name($c), $this->table->having('source_position', 'deleted_at')));
        $statements = [];
        if ($patches > 0) {
            // Values that were not sent are read from the rows as they stand, before anything of this part changes them.
            $statements[] = $this->merge("SELECT {$this->table->filled('s', 'o')}".($own === '' ? '' : ", {$own}")."{$stamp} FROM {$stage} s JOIN {$this->table->table} o ON ".$this->table->keyIs('o', 's.lm_from')." WHERE s.lm_op = 'p'");
        }
        if ($deletes > 0) {
            $statements[] = $this->delete($stage);
        }
        $statements[] = $this->merge('SELECT '.Quoted::names($this->columns)."{$stamp} FROM {$stage} WHERE lm_op = 'w'");
        $this->connection->send(implode('; ', [...$statements, "TRUNCATE {$stage}"]));
        $sent = strlen($lines);
        $checksum = hash('xxh128', $lines);

        return static function (array $results) use ($written, $deletes, $sent, $checksum): Counts {
            $inserted = $updated = $deleted = 0;
            foreach ($results as $result) {
                if (pg_num_fields($result) === 2) {
                    $inserted += (int) pg_fetch_result($result, 0, 0);
                    $updated += (int) pg_fetch_result($result, 0, 1);
                } elseif ($deletes > 0) {
                    $deleted += pg_affected_rows($result);
                }
            }

            return new Counts($inserted, $updated, $written - $inserted - $updated - $deleted, $deleted, $sent, $checksum);
        };
    }

    /** @return array{string, int, int} lines for the stage, how many lack values, how many are deletes */
    private function lines(NetChanges $plan): array
    {
        $lines = [];
        $patches = $deletes = 0;
        $place = $this->table->technical('source_position') !== null;
        $mark = $this->table->technical('deleted_at') !== null;
        $ignore = $this->table->landed->as->deletes === Deletes::Ignore;
        $commit = null;
        $tail = $deletedTail = '';
        foreach ($plan->net() as $net) {
            if ($commit !== $net->commit) {
                $commit = $net->commit;
                $tail = ($place ? "\t".$commit->place->label() : '');
                $deletedTail = $tail.($mark ? "\t".$commit->time() : '')."\n";
                $tail .= $mark ? "\t\\N\n" : "\n";
            }
            if ($net->delete) {
                if ($ignore) {
                    continue;
                }
                $deletes++;
                $lines[] = self::line(['d', '\\N', '\\N'], $net->row, $deletedTail);
            } elseif ($net->from === null) {
                $lines[] = self::line(['w', '\\N', '\\N'], $net->row, $tail);
            } else {
                $patches++;
                $lines[] = self::line(['p', FeedTable::unsent($net->row), CopyText::field(FeedTable::arrayText($net->from))], $net->row, $tail);
            }
        }

        return [implode('', $lines), $patches, $deletes];
    }

    /**
     * Put together at once, since a value may be large.
     *
     * @param  list<string>  $fields  encoded, that come first
     * @param  list<string|false|null>  $row
     * @param  string  $tail  what follows the row, encoded, or the end of the line
     */
    private static function line(array $fields, array $row, string $tail): string
    {
        foreach ($row as $value) {
            $fields[] = $value === null || $value === false ? '\\N' : CopyText::field($value);
        }
        if ($tail === "\n") {
            return implode("\t", $fields)."\n";
        }
        $fields[] = substr($tail, 1);

        return implode("\t", $fields);
    }

    private function delete(string $stage): string
    {
        $mark = $this->table->technical('deleted_at');
        $where = $this->table->sameKey('t', 's')." AND s.lm_op = 'd'";
        if ($mark === null) {
            return "DELETE FROM {$this->table->table} t USING {$stage} s WHERE {$where}";
        }
        $set = implode(', ', array_map(static fn (string $c): string => Quoted::name($c).' = s.'.Quoted::name($c), $this->table->having('deleted_at', 'source_position')));

        return "UPDATE {$this->table->table} t SET {$set} FROM {$stage} s WHERE {$where} AND t.".Quoted::name($mark).' IS NULL';
    }

    private function merge(string $select): string
    {
        return Sql::merge($this->table->landed, $this->table->table, [...$this->columns, ...$this->table->having('delivered_at')], $this->compared, $select);
    }

    public function truncate(SourceCommit $commit, int $number, string $now, string $only = 'true'): Counts
    {
        $mark = $this->table->technical('deleted_at');

        return new Counts(0, deleted: match (true) {
            $this->table->landed->as->deletes === Deletes::Ignore => 0,
            $mark === null => $this->connection->affected("DELETE FROM {$this->table->table} t WHERE {$only}"),
            default => $this->connection->affected("UPDATE {$this->table->table} t SET ".Quoted::name($mark).' = '.Quoted::literal($commit->time())." WHERE {$only} AND ".Quoted::name($mark).' IS NULL'),
        });
    }
}
