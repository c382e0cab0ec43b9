<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Warehouse;

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

    public function __construct(private readonly Warehouse $at, private readonly FeedTable $table)
    {
        $this->columns = [...$table->carried, ...$table->having('source_position', 'deleted_at')];
    }

    public function write(ChangePlan $plan, string $now): callable|Counts
    {
        if (! $plan instanceof NetChanges) {
            throw new LogicException('Landing upsert takes net changes.');
        }
        $loading = $this->table->staging($this->columns);
        [$patches, $deletes] = $this->load($plan, $loading);
        $written = $plan->lines();
        $counts = $loading->end();
        if ($loading->rows() === 0) {
            return new Counts(0, unchanged: $written);
        }
        $merged = static function (Outcome $o) use (&$counts): void {
            $counts = $counts->plus(new Counts($o->number('inserted'), $o->number('updated')));
        };
        $stage = $this->table->stage;
        $stamp = $this->table->technical('delivered_at') === null ? [] : [$this->at->sql->text($now)];
        $script = new Script;
        if ($patches > 0) {
            // Values that were not sent are read from the rows as they stand, before anything of this part changes them.
            $own = array_map(fn (string $c): string => 's.'.$this->at->sql->name($c), $this->table->having('source_position', 'deleted_at'));
            $script->add($this->merge('SELECT '.implode(', ', [...array_values($this->table->filled('s', 'o')), ...$own, ...$stamp])." FROM {$stage} s JOIN {$this->table->table} o ON ".$this->table->keyIs('o', 's.lm_from')." WHERE s.lm_op = 'p'"), $merged);
        }
        if ($deletes > 0) {
            $script->add($this->delete($stage), static function (Outcome $o) use (&$counts): void {
                $counts = $counts->plus(new Counts(0, deleted: $o->affected));
            });
        }
        $script->add($this->merge('SELECT '.implode(', ', [$this->at->names($this->columns), ...$stamp])." FROM {$stage} WHERE lm_op = 'w'"), $merged);
        $script->add($this->table->emptyStage());
        $script->send($this->at->session);

        return static function (array $outcomes) use ($script, $written, &$counts): Counts {
            /** @var list<Outcome> $outcomes */
            $script->take($outcomes);

            return $counts->plus(new Counts(0, unchanged: $written - $counts->inserted - $counts->updated - $counts->deleted));
        };
    }

    /** @return array{int, int} how many lack values, how many are deletes */
    private function load(NetChanges $plan, Loading $loading): array
    {
        $patches = $deletes = 0;
        $place = $this->table->technical('source_position') !== null;
        $mark = $this->table->technical('deleted_at') !== null;
        $ignore = $this->table->landed->as->deletes === Deletes::Ignore;
        $commit = null;
        $after = $afterDelete = [];
        foreach ($plan->net() as $net) {
            if ($commit !== $net->commit) {
                $commit = $net->commit;
                $at = $place ? [$commit->place->label()] : [];
                [$after, $afterDelete] = $mark ? [[...$at, '\\N'], [...$at, $commit->time()]] : [$at, $at];
            }
            if ($net->delete) {
                if ($ignore) {
                    continue;
                }
                $deletes++;
                $loading->add(CopyText::line($net->row, ['d', '\\N', '\\N'], $afterDelete));
            } elseif ($net->from === null) {
                $loading->add(CopyText::line($net->row, ['w', '\\N', '\\N'], $after));
            } else {
                $patches++;
                $loading->add(CopyText::line($net->row, ['p', FeedTable::unsent($net->row), CopyText::field($this->at->sql->list($net->from))], $after));
            }
        }

        return [$patches, $deletes];
    }

    private function delete(string $stage): string
    {
        $mark = $this->table->technical('deleted_at');
        $where = $this->table->sameKey('t', 's')." AND s.lm_op = 'd'";
        if ($mark === null) {
            return $this->at->sql->delete($this->table->table, "{$stage} s", $where);
        }
        $set = array_map(fn (string $c): string => 's.'.$this->at->sql->name($c), array_combine($marks = $this->table->having('deleted_at', 'source_position'), $marks));

        return $this->at->sql->update($this->table->table, $set, "{$stage} s", "{$where} AND t.".$this->at->sql->name($mark).' IS NULL');
    }

    /** @return non-empty-list<string> */
    private function merge(string $query): array
    {
        $compared = [...array_values(array_diff($this->table->carried, $this->table->landed->key)), ...$this->table->having('deleted_at')];

        return $this->at->sql->merge($this->table->table, [...$this->columns, ...$this->table->having('delivered_at')], $this->table->landed->key, array_combine($compared, array_map($this->table->type(...), $compared)), $query);
    }

    public function truncate(SourceCommit $commit, int $number, string $now, string $only = '1 = 1'): Counts
    {
        $mark = $this->table->technical('deleted_at');
        if ($this->table->landed->as->deletes === Deletes::Ignore) {
            return new Counts(0);
        }

        return new Counts(0, deleted: $this->at->session->outcome($mark === null
            ? "DELETE FROM {$this->table->table} AS t WHERE {$only}"
            : "UPDATE {$this->table->table} AS t SET ".$this->at->sql->name($mark).' = '.$this->at->sql->text($commit->time())." WHERE {$only} AND ".$this->at->sql->name($mark).' IS NULL')->affected);
    }
}
