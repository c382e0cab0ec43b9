<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Lake;

use Lighterman\Connectors\Engine\Engine;
use Lighterman\Connectors\Engine\TypeMap;
use Lighterman\Core\Landing\ChangePlan;
use Lighterman\Core\Landing\Deletes;
use Lighterman\Core\Landing\Journal;
use Lighterman\Core\Landing\KeyOf;
use Lighterman\Core\Landing\LandedTable;
use Lighterman\Core\Landing\NetChanges;
use Lighterman\Core\Landing\SourceCommit;
use Lighterman\Core\Landing\Versions;
use Lighterman\Core\Record\Counts;
use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\Type;
use Lighterman\Core\Shape\TypeKind;
use LogicException;

/**
 * The changes of one feed on their way into a lake. They are gathered in a file beside it, each as a whole row or as a delete,
 * and become files of the table when the delivery ends: of rows kept by key the last state counts, versions are linked by
 * their places, and a journal has them all.
 */
final class ChangeTable implements FeedFiles
{
    private readonly Stage $stage;

    private readonly TableWriter $files;

    private readonly KeyOf $key;

    /** @var list<string> columns of a record */
    private readonly array $carried;

    /** @var array<string, string> name of a technical column by what it holds */
    private readonly array $technical;

    private readonly ChangeLines $lines;

    /** Changes that were read since the delivery began. */
    private int $read = 0;

    private LandedFiles $was;

    private bool $begun = false;

    /** @param  int  $index  tells the tables of a route apart */
    public function __construct(Folder $folder, private readonly Engine $engine, private readonly LandedTable $landed, string $work, private readonly int $index)
    {
        $this->stage = new Stage("{$work}/changes-{$index}.txt", [new Column('lm_n', Type::of(TypeKind::Int64)), new Column('lm_op', Type::of(TypeKind::Text)), ...$landed->columns()]);
        $this->files = new TableWriter($folder, $engine, $landed, $work, $index);
        $this->key = KeyOf::columns($landed->shape->names(), $landed->key);
        $this->carried = $landed->shape->names();
        $this->technical = array_map(static fn (Column $c): string => $c->name, $landed->technical());
        $this->lines = new ChangeLines($this->carried, array_keys($this->technical));
        $this->was = LandedFiles::of($landed);
    }

    public function landed(): LandedTable
    {
        return $this->landed;
    }

    /**
     * Begins a delivery, unless it has begun.
     *
     * @param  Page  $was  what the feed has landed before it
     */
    public function begin(Page $was): void
    {
        if (! $this->begun) {
            $this->begun = true;
            $this->was = $was->tables[(string) $this->landed->name];
            $this->read = 0;
            $this->lines->begin();
            $this->files->begin($this->was, $was->sequence + 1, $was->nextPrefix(), merges: false, replaces: false);
        }
    }

    public function hasAny(): bool
    {
        return $this->begun && $this->read > 0;
    }

    public function clear(): void
    {
        $this->begun = false;
        $this->stage->clear();
        $this->files->clear();
    }

    public function handOver(): array
    {
        return $this->files->handOver();
    }

    public function add(ChangePlan $plan, string $now): void
    {
        $this->read += $plan->changes();
        match (true) {
            $plan instanceof NetChanges => $this->addNet($plan, $now),
            $plan instanceof Versions => $this->addVersions($plan, $now),
            $plan instanceof Journal => $this->addJournal($plan, $now),
            default => throw new LogicException('Changes of forks cannot be landed in a lake.'),
        };
    }

    private function addNet(NetChanges $plan, string $now): void
    {
        $lines = '';
        $unsaid = [];
        foreach ($plan->net() as $net) {
            $said = ['source_position' => $net->commit->place->label(), 'deleted_at' => $net->delete ? $net->commit->time() : null, 'delivered_at' => $now];
            if ($net->delete) {
                $lines .= $this->lines->staged('d', $net->row, $said);
            } elseif ($net->from === null) {
                $lines .= $this->lines->staged('w', $net->row, $said);
            } else {
                $unsaid[] = [$net->from, $net->row, $said];
            }
        }
        // Values that were not sent are those of the rows as they stand before anything of this part.
        $lines .= $this->filled($unsaid);
        $this->stage->add($lines);
    }

    private function addVersions(Versions $plan, string $now): void
    {
        $lines = '';
        $unsaid = [];
        foreach ($plan->chains() as $chain) {
            foreach ($chain as $version) {
                $said = ['source_position' => $version->place, 'change_kind' => $version->kind, 'valid_from' => SourceCommit::timeAt($version->validFrom), 'valid_to' => $version->validTo === null ? null : SourceCommit::timeAt($version->validTo), 'is_current' => $version->current() ? 't' : 'f', 'delivered_at' => $now];
                $version->from === null ? $lines .= $this->lines->staged('w', $version->row, $said) : $unsaid[] = [$version->from, $version->row, $said];
            }
        }
        $lines .= $this->filled($unsaid);
        $this->stage->add($lines);
    }

    private function addJournal(Journal $plan, string $now): void
    {
        $lines = '';
        foreach ($plan->entries() as [$change, $commit]) {
            $lines .= $this->lines->journal($change, $commit, $now);
        }
        $this->files->write($lines);
    }

    /**
     * Rows of which the source did not send every value, filled from where those stand. What stands nowhere comes whole with
     * the first load, which reads it later than this change.
     *
     * @param  list<array{list<string>, list<string|false|null>, array<string, string|null>}>  $unsaid
     */
    private function filled(array $unsaid): string
    {
        if ($unsaid === []) {
            return '';
        }
        $known = $this->current(array_map(static fn (array $u): array => $u[0], $unsaid));
        $lines = '';
        foreach ($unsaid as [$from, $row, $said]) {
            $old = $known[implode("\0", $from)] ?? null;
            if ($old !== null) {
                $lines .= $this->lines->staged('w', array_map(static fn (string|false|null $v, ?string $o): ?string => $v === false ? $o : $v, $row, $old), $said);
            }
        }

        return $lines;
    }

    /**
     * Rows as they stand now, changes of this delivery included.
     *
     * @param  list<list<string>>  $keys
     * @return array<string, list<string|null>> by key
     */
    private function current(array $keys): array
    {
        $wanted = "wanted_{$this->index}";
        $types = array_map(fn (string $k): Type => $this->landed->shape->column($k)->type ?? throw new LogicException("{$k} does not land."), $this->landed->key);
        $this->engine->run("CREATE OR REPLACE TEMP TABLE {$wanted} AS SELECT DISTINCT * FROM (VALUES ".implode(', ', array_map(static fn (array $key): string => '('.implode(', ', array_map(TypeMap::value(...), $key, $types)).')', $keys)).') AS w ('.$this->names($this->landed->key).')');
        $texts = implode(', ', array_map(static fn (Column $c): string => TypeMap::text(Engine::name($c->name), $c->type).' AS '.Engine::name($c->name), $this->landed->shape->columns));
        $rows = [];
        foreach ($this->engine->query("SELECT {$texts} FROM ({$this->standing()}) WHERE ({$this->names($this->landed->key)}) IN (SELECT * FROM {$wanted})") as $row) {
            $values = array_values($row);
            $rows[implode("\0", $this->key->values($values))] = $values;
        }

        return $rows;
    }

    /** A query of the rows that stand now, one for each key, changes of this delivery included. */
    private function standing(): string
    {
        $columns = $this->names($this->carried);
        $key = $this->names($this->landed->key);
        $versions = isset($this->technical['valid_from']);
        // Of versions the last by place counts, of other rows what came last.
        $place = $versions ? Engine::name($this->technical['source_position']) : 'lm_n';
        $gone = $versions ? Engine::name($this->technical['change_kind'])." = 'delete'" : "lm_op = 'd'";
        $marked = isset($this->technical['deleted_at']) ? ' WHERE '.Engine::name($this->technical['deleted_at']).' IS NULL' : '';
        $before = $versions ? "SELECT {$columns}, {$place} AS lm_place, {$gone} AS lm_gone FROM ({$this->files->before()})" : "SELECT {$columns}, 0 AS lm_place, false AS lm_gone FROM ({$this->files->before()}){$marked}";

        return "SELECT {$columns} FROM (SELECT * FROM ({$before} UNION ALL SELECT {$columns}, {$place} AS lm_place, {$gone} AS lm_gone FROM ({$this->stage->select()})) QUALIFY row_number() OVER (PARTITION BY {$key} ORDER BY lm_place DESC) = 1) WHERE NOT lm_gone";
    }

    /**
     * All rows, or those whose keys were not seen, are gone at the source.
     *
     * @param  SeenFiles|null  $seen  null for all
     */
    public function leave(SourceCommit $commit, int $number, string $now, ?SeenFiles $seen = null): void
    {
        if ($this->landed->rowKey() === []) {
            $this->read++;
            $this->files->write($this->lines->entry([], 'truncate', $commit, $number, $now));

            return;
        }
        if ($this->landed->as->deletes === Deletes::Ignore && ! isset($this->technical['valid_from'])) {
            return;
        }
        $key = $this->names($this->landed->key);
        $texts = implode(', ', array_map(fn (string $k): string => TypeMap::text(Engine::name($k), $this->landed->shape->column($k)->type ?? throw new LogicException("{$k} does not land.")).' AS '.Engine::name($k), $this->landed->key));
        $lines = '';
        foreach ($this->engine->query("SELECT {$texts} FROM ({$this->standing()})".($seen === null ? '' : " WHERE ({$key}) NOT IN (SELECT * FROM {$this->seen($seen)})")) as $found) {
            $row = array_map(fn (string $c): ?string => $found[$c] ?? null, $this->carried);
            $at = $commit->time();
            $lines .= $this->lines->staged(isset($this->technical['valid_from']) ? 'w' : 'd', $row, ['source_position' => isset($this->technical['valid_from']) ? $commit->place->ofChange($number) : $commit->place->label(), 'change_kind' => 'delete', 'valid_from' => $at, 'valid_to' => $at, 'is_current' => 'f', 'deleted_at' => $at, 'delivered_at' => $now]);
            $this->read++;
        }
        // Only now, for what stands is read from the same file.
        $this->stage->add($lines);
    }

    /** The keys that were seen, as a table of the engine. */
    private function seen(SeenFiles $seen): string
    {
        $stage = new Stage($this->stage->path.'.seen', array_map(fn (string $k): Column => $this->landed->shape->column($k) ?? throw new LogicException("{$k} does not land."), $this->landed->key));
        foreach ($seen->lines() as $lines) {
            $stage->add($lines);
        }
        $this->engine->run("CREATE OR REPLACE TEMP TABLE seen_{$this->index} AS {$stage->select()}");
        $stage->clear();

        return "seen_{$this->index}";
    }

    public function finish(): array
    {
        [$files, $counts] = match (true) {
            $this->landed->rowKey() === [] => $this->files->finish(''),
            isset($this->technical['valid_from']) => $this->finishVersions(),
            default => $this->finishRows(),
        };
        $files = $this->files->joined($files);
        $rest = $this->read - $counts->inserted - $counts->updated - $counts->unchanged - $counts->deleted;

        return [[(string) $this->landed->name => $files], $counts->plus(new Counts(0, superseded: $rest)), $this->read];
    }

    public function joined(Page $was, string $prefix): array
    {
        $name = (string) $this->landed->name;

        return [$name => $this->files->joinedBy($was->tables[$name], $was->sequence, $prefix)];
    }

    public function name(array $now, array $before): void
    {
        $name = (string) $this->landed->name;
        $this->files->name($now[$name], $before[$name]);
    }

    /** @return array{LandedFiles, Counts} */
    private function finishRows(): array
    {
        [$final, $keep, $key] = ["final_{$this->index}", "keep_{$this->index}", $this->names($this->landed->key)];
        $columns = $this->names([...$this->carried, ...array_values($this->technical)]);
        $this->engine->run("CREATE OR REPLACE TEMP TABLE {$final} AS SELECT * FROM ({$this->stage->select()}) QUALIFY row_number() OVER (PARTITION BY {$key} ORDER BY lm_n DESC) = 1");
        $this->engine->run("CREATE OR REPLACE TEMP TABLE {$keep} AS SELECT {$columns} FROM {$final} WHERE lm_op = 'w'");
        $marked = 0;
        $mark = $this->technical['deleted_at'] ?? null;
        if ($mark !== null) {
            // A row that is gone stays as it was, with the time of its delete.
            $from = array_map(fn (string $c): string => (in_array($c, $this->technical, true) ? 's.' : 'o.').Engine::name($c), [...$this->carried, ...array_values($this->technical)]);
            $on = implode(' AND ', array_map(static fn (string $k): string => 'o.'.Engine::name($k).' = s.'.Engine::name($k), $this->landed->key));
            $before = (int) $this->engine->value("SELECT count(*) FROM {$keep}");
            $this->engine->run("INSERT INTO {$keep} SELECT ".implode(', ', $from)." FROM ({$this->files->before()}) o JOIN {$final} s ON {$on} WHERE s.lm_op = 'd' AND o.".Engine::name($mark).' IS NULL');
            $marked = (int) $this->engine->value("SELECT count(*) FROM {$keep}") - $before;
        }
        $leaving = $mark === null && $this->landed->as->deletes !== Deletes::Ignore ? "SELECT {$key} FROM {$final} WHERE lm_op = 'd'" : '';
        [$files, $counts] = $this->files->merged($keep, $this->landed->key, [...array_values(array_diff($this->carried, $this->landed->key)), ...array_filter([$mark])], $leaving);
        $keys = (int) $this->engine->value("SELECT count(*) FROM {$final}");
        $updated = $counts->updated - $marked;
        $deleted = $counts->deleted + $marked;

        return [$files, new Counts($counts->inserted, $updated, $keys - $counts->inserted - $updated - $deleted, $deleted)];
    }

    /** @return array{LandedFiles, Counts} */
    private function finishVersions(): array
    {
        [$new, $keep, $key] = ["new_{$this->index}", "keep_{$this->index}", $this->names($this->landed->key)];
        $column = fn (string $what): string => Engine::name($this->technical[$what]);
        $all = [...$this->carried, ...array_values($this->technical)];
        $columns = $this->names($all);
        $same = static fn (array $names): string => implode(' AND ', array_map(static fn (string $c): string => 'o.'.Engine::name($c).' IS NOT DISTINCT FROM n.'.Engine::name($c), $names));
        $this->engine->run("CREATE OR REPLACE TEMP TABLE {$new} AS SELECT {$columns} FROM ({$this->stage->select()}) QUALIFY row_number() OVER (PARTITION BY {$key}, {$column('source_position')} ORDER BY lm_n) = 1");
        $lines = $this->stage->rows;
        // A load brings a version only where the chain does not end with the same row already.
        $this->engine->run("DELETE FROM {$new} n WHERE {$column('change_kind')} = 'load' AND EXISTS (SELECT 1 FROM ({$this->files->before()}) o WHERE o.{$column('is_current')} AND {$same($this->carried)})");
        $chain = "SELECT {$columns} FROM ({$this->files->before()}) WHERE ({$key}) IN (SELECT {$key} FROM {$new}) UNION ALL SELECT {$columns} FROM {$new} n WHERE NOT EXISTS (SELECT 1 FROM ({$this->files->before()}) o WHERE {$same([...$this->landed->key, $this->technical['source_position']])})";
        $next = "lead({$column('valid_from')}) OVER (PARTITION BY {$key} ORDER BY {$column('source_position')})";
        // No version ends before it begins, though commit times may run a little against the order of commits.
        $until = "CASE WHEN {$column('change_kind')} = 'delete' THEN {$column('valid_from')} WHEN {$next} IS NULL THEN NULL ELSE greatest({$column('valid_from')}, {$next}) END";
        $this->engine->run("CREATE OR REPLACE TEMP TABLE {$keep} AS SELECT * REPLACE ({$until} AS {$column('valid_to')}, ({$until}) IS NULL AS {$column('is_current')}) FROM ({$chain})");
        [$files, $counts] = $this->files->merged($keep, [...$this->landed->key, $this->technical['source_position']], [$this->technical['valid_to'], $this->technical['is_current']], '');

        return [$files, new Counts($counts->inserted, 0, $lines - $counts->inserted)];
    }

    /** @param  list<string>  $columns */
    private function names(array $columns): string
    {
        return implode(', ', array_map(Engine::name(...), $columns));
    }
}
