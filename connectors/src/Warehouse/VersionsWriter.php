<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Warehouse;

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

    /** @var list<string> columns of the stage that lines of this landing fill */
    private array $columns;

    /** As written in SQL. */
    private string $key;

    private string $place;

    private string $from;

    private string $to;

    private string $current;

    private string $kind;

    public function __construct(private Warehouse $at, private FeedTable $table)
    {
        $this->columns = [...$table->carried, ...$table->having(...self::TECHNICAL)];
        $this->key = $at->names($table->landed->key);
        [$this->place, $this->kind, $this->from, $this->to, $this->current] = array_map($at->sql->name(...), $table->having(...self::TECHNICAL));
    }

    public function write(ChangePlan $plan, string $now): callable|Counts
    {
        if (! $plan instanceof Versions) {
            throw new LogicException('Landing versions takes versions.');
        }
        $loading = $this->table->staging($this->columns);
        [$unfilled, $loads] = $this->load($plan, $loading);
        $written = $plan->lines();
        $sent = $loading->end();
        if ($loading->rows() === 0) {
            return new Counts(0);
        }
        $stage = $this->table->stage;
        $inserted = 0;
        $script = new Script;
        $unfilled === 0 || $this->fill($script, $stage);
        $loads === 0 || $script->add($this->dropKnownLoads($stage));
        $script->add($this->setLateApart($stage));
        $script->add($this->at->sql->update($this->table->table, ['valid_to' => $this->at->sql->later("t.{$this->from}", "s.{$this->from}"), 'is_current' => 'false'], "{$stage} s", "s.lm_op = 'first' AND t.{$this->current} AND ".$this->table->sameKey('t', 's')));
        $script->add($this->insert($this->columns, "{$this->at->names($this->columns)}", "{$stage} WHERE lm_op <> 'drop'", $now), static function (Outcome $o) use (&$inserted): void {
            $inserted = $o->affected;
        });
        $this->relink($script, $stage);
        $script->add($this->table->emptyStage());
        $script->send($this->at->session);

        return static function (array $outcomes) use ($script, $written, $sent, &$inserted): Counts {
            /** @var list<Outcome> $outcomes */
            $script->take($outcomes);

            return $sent->plus(new Counts($inserted, unchanged: $written - $inserted));
        };
    }

    /**
     * @param  list<string>  $columns
     * @param  string  $values  expressions for them
     */
    private function insert(array $columns, string $values, string $from, string $now): string
    {
        $stamp = $this->table->having('delivered_at');

        return $this->at->sql->insertNew($this->table->table, [...$columns, ...$stamp], [...$this->table->landed->key, ...$this->table->having('source_position')], "SELECT {$values}".($stamp === [] ? '' : ', '.$this->at->sql->text($now))." FROM {$from}");
    }

    /** @return array{int, int} how many lack values, how many come from a load */
    private function load(Versions $plan, Loading $loading): array
    {
        $unfilled = $loads = 0;
        foreach ($plan->chains() as $chain) {
            foreach ($chain as $i => $version) {
                $unfilled += (int) ($version->from !== null);
                $loads += (int) ($version->kind === 'load');
                $loading->add($this->line($version, $i === 0 ? 'first' : 'next'));
            }
        }

        return [$unfilled, $loads];
    }

    private function line(Version $version, string $op): string
    {
        $from = $version->from === null ? ['\\N', '\\N'] : [FeedTable::unsent($version->row), CopyText::field($this->at->sql->list($version->from))];
        $until = $version->validTo === null ? '\\N' : SourceCommit::timeAt($version->validTo);

        return CopyText::line($version->row, [$op, ...$from], [$version->place, $version->kind, SourceCommit::timeAt($version->validFrom), $until, $version->current() ? 't' : 'f']);
    }

    /** Values not sent are those of the version that was current under the key they are taken from. */
    private function fill(Script $script, string $stage): void
    {
        $script->add($this->at->sql->update($stage, [...$this->table->filled('t', 'o'), 'lm_unsent' => 'NULL'], "{$this->table->table} o", "t.lm_unsent IS NOT NULL AND o.{$this->current} AND ".$this->table->keyIs('o', 't.lm_from')));
        // What is not landed yet comes whole with the first load, which reads it later than this change.
        $script->add("UPDATE {$stage} SET lm_op = 'drop' WHERE lm_unsent IS NOT NULL");
    }

    /** A load brings a version only where the chain does not end with the same row already. */
    private function dropKnownLoads(string $stage): string
    {
        $of = fn (string $table): array => array_map(fn (string $c): string => $this->at->sql->comparable("{$table}.".$this->at->sql->name($c), $this->table->type($c)), $this->table->carried);
        [$landed, $brought] = [$of('o'), $of('t')];

        return $this->at->sql->update($stage, ['lm_op' => "'drop'"], "{$this->table->table} o", "t.{$this->kind} = 'load' AND o.{$this->current} AND ".$this->table->sameKey('o', 't').($landed === [] || $brought === [] ? '' : ' AND '.$this->at->sql->same($landed, $brought)));
    }

    /** Versions that are not later than all the table has of their key are put in as history first, and linked afterwards. */
    private function setLateApart(string $stage): string
    {
        return $this->at->sql->update($stage, ['lm_op' => "'late'", 'is_current' => 'false'], "{$stage} f", "f.lm_op = 'first' AND t.lm_op <> 'drop' AND ".$this->table->sameKey('t', 'f')
            ." AND EXISTS (SELECT 1 FROM {$this->table->table} o WHERE ".$this->table->sameKey('o', 'f')." AND o.{$this->place} >= f.{$this->place})");
    }

    /** First what ends, then what is current, since only one version of a key may be. */
    private function relink(Script $script, string $stage): void
    {
        $linked = "(SELECT {$this->key}, {$this->place}, CASE WHEN {$this->kind} = 'delete' THEN {$this->from} ELSE {$this->at->sql->later($this->from, "lead({$this->from}) OVER w")} END AS until,
                lead({$this->from}) OVER w IS NULL AND {$this->kind} <> 'delete' AS latest
            FROM {$this->table->table} WHERE ({$this->key}) IN (SELECT {$this->key} FROM {$stage} WHERE lm_op = 'late') WINDOW w AS (PARTITION BY {$this->key} ORDER BY {$this->place})) l";
        $same = $this->table->sameKey('t', 'l')." AND t.{$this->place} = l.{$this->place}";
        $script->add($this->at->sql->update($this->table->table, ['valid_to' => 'l.until', 'is_current' => 'false'], $linked, "{$same} AND NOT l.latest"));
        $script->add($this->at->sql->update($this->table->table, ['valid_to' => 'NULL', 'is_current' => 'true'], $linked, "{$same} AND l.latest"));
    }

    public function truncate(SourceCommit $commit, int $number, string $now, string $only = '1 = 1'): Counts
    {
        $at = $this->at->sql->text($commit->time());
        $place = $this->at->sql->text($commit->place->ofChange($number));
        $ended = $this->at->session->outcome($this->insert(
            [...$this->table->landed->key, ...$this->table->having('source_position', 'change_kind', 'valid_from', 'valid_to', 'is_current')],
            "{$this->key}, {$place}, 'delete', {$at}, {$at}, false", "{$this->table->table} t WHERE {$this->current} AND {$only}", $now,
        ))->affected;
        $until = $this->at->sql->later($this->from, $this->at->sql->cast($at, $this->table->type('valid_to')));
        $this->at->session->run("UPDATE {$this->table->table} AS t SET {$this->to} = {$until}, {$this->current} = false WHERE {$this->current} AND {$only}");

        return new Counts(0, deleted: $ended);
    }
}
