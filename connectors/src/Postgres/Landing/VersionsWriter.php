<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Postgres\Landing;

use Lighterman\Connectors\Postgres\Server\Connection;
use Lighterman\Connectors\Postgres\Server\Quoted;
use Lighterman\Connectors\Postgres\Server\Sql;
use Lighterman\Core\Format\CopyText;
use Lighterman\Core\Landing\ChangePlan;
use Lighterman\Core\Landing\SourceCommit;
use Lighterman\Core\Landing\Version;
use Lighterman\Core\Landing\Versions;
use Lighterman\Core\Record\Counts;
use LogicException;

/**
 * Keeps every version of a row. Versions that are later than all the table has of their key are put at the end of its
 * chain; for the few that are not, the chain is linked anew from all its versions, so that the order of arrival does not matter.
 */
final readonly class VersionsWriter implements ChangeWriter
{
    private const TECHNICAL = ['source_position', 'change_kind', 'valid_from', 'valid_to', 'is_current'];

    /** @var list<string> */
    private array $columns;

    private string $key;

    private string $place;

    private string $from;

    private string $to;

    private string $current;

    private string $kind;

    public function __construct(private Connection $connection, private FeedTable $table)
    {
        $this->columns = [...$table->carried, ...$table->having(...self::TECHNICAL)];
        $this->key = Quoted::names($table->landed->key);
        [$this->place, $this->kind, $this->from, $this->to, $this->current] = array_map(Quoted::name(...), $table->having(...self::TECHNICAL));
    }

    public function write(ChangePlan $plan, string $now): callable|Counts
    {
        if (! $plan instanceof Versions) {
            throw new LogicException('Landing versions takes versions.');
        }
        [$lines, $unfilled, $loads] = $this->lines($plan);
        $written = $plan->lines();
        if ($lines === '') {
            return new Counts(0);
        }
        $stage = "pg_temp.{$this->table->stage}";
        $this->table->stage($this->columns, $lines);
        $stamp = $this->table->technical('delivered_at');
        $this->connection->send(implode('; ', [
            ...($unfilled > 0 ? $this->fill($stage) : []),
            ...($loads > 0 ? [$this->dropKnownLoads($stage)] : []),
            $this->setLateApart($stage),
            "UPDATE {$this->table->table} t SET {$this->to} = greatest(t.{$this->from}, s.{$this->from}), {$this->current} = false FROM {$stage} s WHERE s.lm_op = 'first' AND t.{$this->current} AND ".$this->table->sameKey('t', 's'),
            "INSERT INTO {$this->table->table} (".Quoted::names([...$this->columns, ...($stamp === null ? [] : [$stamp])]).')
                SELECT '.Quoted::names($this->columns).($stamp === null ? '' : ', '.Quoted::literal($now))." FROM {$stage} WHERE lm_op <> 'drop' ON CONFLICT ({$this->key}, {$this->place}) DO NOTHING",
            ...$this->relink($stage),
            "TRUNCATE {$stage}",
        ]));
        $sent = strlen($lines);
        $checksum = hash('xxh128', $lines);

        return static function (array $results) use ($written, $sent, $checksum): Counts {
            // The insert is followed by the two statements that link late versions and the one that empties the stage.
            $inserted = pg_affected_rows($results[count($results) - 4]);

            return new Counts($inserted, unchanged: $written - $inserted, bytes: $sent, checksum: $checksum);
        };
    }

    /** @return array{string, int, int} lines for the stage, how many lack values, how many come from a load */
    private function lines(Versions $plan): array
    {
        $lines = [];
        $unfilled = $loads = 0;
        foreach ($plan->chains() as $chain) {
            foreach ($chain as $i => $version) {
                $unfilled += (int) ($version->from !== null);
                $loads += (int) ($version->kind === 'load');
                $lines[] = $this->line($version, $i === 0 ? 'first' : 'next');
            }
        }

        return [implode('', $lines), $unfilled, $loads];
    }

    private function line(Version $version, string $op): string
    {
        $fields = [$op, $version->from === null ? '\\N' : FeedTable::unsent($version->row), $version->from === null ? '\\N' : CopyText::field(FeedTable::arrayText($version->from))];
        foreach ($version->row as $value) {
            $fields[] = $value === null || $value === false ? '\\N' : CopyText::field($value);
        }
        array_push($fields, $version->place, $version->kind, SourceCommit::timeAt($version->validFrom), $version->validTo === null ? '\\N' : SourceCommit::timeAt($version->validTo), $version->current() ? 't' : 'f');

        $fields[array_key_last($fields)] .= "\n";

        return implode("\t", $fields);
    }

    /**
     * Values not sent are those of the version that was current under the key they are taken from.
     *
     * @return list<string>
     */
    private function fill(string $stage): array
    {
        $columns = Quoted::names($this->table->carried);

        return [
            "UPDATE {$stage} s SET ({$columns}, lm_unsent) = ROW({$this->table->filled('s', 'o')}, NULL) FROM {$this->table->table} o
                WHERE s.lm_unsent IS NOT NULL AND o.{$this->current} AND ".$this->table->keyIs('o', 's.lm_from'),
            // What is not landed yet comes whole with the first load, which reads it later than this change.
            "UPDATE {$stage} SET lm_op = 'drop' WHERE lm_unsent IS NOT NULL",
        ];
    }

    /** A load brings a version only where the chain does not end with the same row already. */
    private function dropKnownLoads(string $stage): string
    {
        $carried = $this->table->carried;

        return "UPDATE {$stage} s SET lm_op = 'drop' FROM {$this->table->table} t WHERE s.{$this->kind} = 'load' AND t.{$this->current} AND ".$this->table->sameKey('t', 's')
            .' AND ('.Sql::compared($this->table->landed, 't', $carried).') IS NOT DISTINCT FROM ('.Sql::compared($this->table->landed, 's', $carried).')';
    }

    /** Versions that are not later than all the table has of their key are put in as history first, and linked afterwards. */
    private function setLateApart(string $stage): string
    {
        return "UPDATE {$stage} s SET lm_op = 'late', {$this->current} = false FROM {$stage} f
            WHERE f.lm_op = 'first' AND s.lm_op <> 'drop' AND ".$this->table->sameKey('s', 'f')
            ." AND EXISTS (SELECT 1 FROM {$this->table->table} t WHERE ".$this->table->sameKey('t', 'f')." AND t.{$this->place} >= f.{$this->place})";
    }

    /** @return list<string> first what ends, then what is current, since only one version of a key may be */
    private function relink(string $stage): array
    {
        $linked = "SELECT {$this->key}, {$this->place}, CASE WHEN {$this->kind} = 'delete' THEN {$this->from} ELSE greatest({$this->from}, lead({$this->from}) OVER w) END AS until,
                lead({$this->from}) OVER w IS NULL AND {$this->kind} <> 'delete' AS latest
            FROM {$this->table->table} WHERE ({$this->key}) IN (SELECT {$this->key} FROM {$stage} WHERE lm_op = 'late') WINDOW w AS (PARTITION BY {$this->key} ORDER BY {$this->place})";
        $same = $this->table->sameKey('t', 'l')." AND t.{$this->place} = l.{$this->place}";

        return [
            "UPDATE {$this->table->table} t SET {$this->to} = l.until, {$this->current} = false FROM ({$linked}) l WHERE {$same} AND NOT l.latest",
            "UPDATE {$this->table->table} t SET {$this->to} = NULL, {$this->current} = true FROM ({$linked}) l WHERE {$same} AND l.latest",
        ];
    }

    public function truncate(SourceCommit $commit, int $number, string $now, string $only = 'true'): Counts
    {
        $at = Quoted::literal($commit->time());
        $stamp = $this->table->technical('delivered_at');
        $place = Quoted::literal($commit->place->ofChange($number));
        $ended = $this->connection->affected("INSERT INTO {$this->table->table} ({$this->key}, {$this->place}, {$this->kind}, {$this->from}, {$this->to}, {$this->current}".($stamp === null ? '' : ', '.Quoted::name($stamp)).")
            SELECT {$this->key}, {$place}, 'delete', {$at}, {$at}, false".($stamp === null ? '' : ', '.Quoted::literal($now))." FROM {$this->table->table} t WHERE {$this->current} AND {$only} ON CONFLICT DO NOTHING");
        $this->connection->run("UPDATE {$this->table->table} t SET {$this->to} = greatest({$this->from}, {$at}::timestamptz), {$this->current} = false WHERE {$this->current} AND {$only}");

        return new Counts(0, deleted: $ended);
    }
}
