<?php

declare(strict_types=1);

namespace App\Runtime\Log;

use App\Runtime\Treating\AsideBook;
use App\Runtime\Treating\Treating;
use App\Runtime\Treating\WatchCounter;
use Lighterman\Core\Capture\Log\LoggedRow;
use Lighterman\Core\Capture\Log\Lsn;
use Lighterman\Core\Capture\Log\Relation;
use Lighterman\Core\Capture\Slice;
use Lighterman\Core\Capture\TableIdentity;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Landing\Change;
use Lighterman\Core\Landing\ChangePlan;
use Lighterman\Core\Landing\ForkedPlan;
use Lighterman\Core\Landing\Journal;
use Lighterman\Core\Landing\KeyOf;
use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Landing\NetChanges;
use Lighterman\Core\Landing\SharedKeys;
use Lighterman\Core\Landing\SourceCommit;
use Lighterman\Core\Landing\Versions;
use Lighterman\Core\Position\Position;
use Lighterman\Core\Record\Bounds;
use Lighterman\Core\Treatment\Apart;
use Lighterman\Core\Treatment\Fork;
use Lighterman\Core\Treatment\Treated;
use Lighterman\Core\Treatment\Treater;

/** One feed while its route's log is read. */
final class Carrier
{
    public readonly ChangePlan $plan;

    public readonly KeyOf $key;

    private readonly KeyOf $landedKey;

    /** Whether records that were set aside are to be sent again. */
    public bool $again = false;

    /** Whether the small files of what it has landed are to be joined. */
    public bool $joins = false;

    /** Whether its changes go to the spool instead of landing with the others. */
    public bool $apart = false;

    /** Whether the target has taken it in. */
    public bool $admitted = false;

    /** Whether a person, or trouble of its own, keeps it from landing. */
    public bool $blocked = false;

    /** Rows of the next chunk of a load. */
    public int $chunkRows = 500;

    /** Whether a load has come to its end, so that every row of the source is there. */
    public bool $complete = false;

    /** What of the table the load under way reads. */
    public Slice $slice;

    /** Whether the load under way puts right what may have been missed, so that the copy counts as whole only after it. */
    public bool $mends = false;

    /** Whether such a load is asked for, and has yet to begin. */
    public bool $asked = false;

    /**
     * Number of the mark that has to come back before it begins: what the log tells of the time before may bring rows that
     * are long gone. Null before one was written, 0 once it has come.
     */
    public ?int $beginsAfter = null;

    /** Whether what a person decided on an emptied table is carried out by what is being landed. */
    public bool $decided = false;

    /** @var array<string, list<string>> keys of rows that could not be landed whole and are read again, by their text */
    public array $rereads = [];

    /** @var array<string, list<string>> those of them that are not written down yet */
    private array $newRereads = [];

    /** Whether changes came that cannot be read, so that the table has to be loaded again. */
    public bool $unclear = false;

    /** What the source's catalogue said of the table when its load began. */
    public ?TableIdentity $identity = null;

    /** Tells rows apart that stand at one key within a transaction; null where the source lets none. */
    public ?SharedKeys $shared = null;

    private readonly JournalStart $start;

    public ?Window $window = null;

    /** @var list<array<string, mixed>> changes of the transaction being read that go to the spool */
    public array $spooling = [];

    public int $spooledParts = 0;

    /** Changes taken from the transaction being read. */
    public int $taken = 0;

    /** @var list<array{int, int}> commit time and number of changes of every transaction in the batch */
    public array $commits = [];

    /** @var array<int, int> changes of the transaction being read, by when they were made, where that is known of each */
    private array $takenAt = [];

    /** @var array<int, list<int|false>|null> by relation: which of its columns are carried, false for one that it lacks; null for all in order */
    private array $picks = [];

    /** What is done to its records on the way; null for nothing. */
    private ?Treater $treater = null;

    public readonly AsideBook $aside;

    /** Changes that were read but do not land, since the last commit. */
    private Treated $kept;

    private int $setAside = 0;

    private int $passed = 0;

    public readonly WatchCounter $watch;

    /** Number that the receipt of the batch under way will have. */
    private int $sequence = 0;

    private int $run = 0;

    public function __construct(
        public readonly int $id,
        public readonly string $uid,
        public readonly string $name,
        public readonly int $definitionId,
        public readonly FeedDefinition $definition,
        public Position $position,
        public readonly Bounds $bounds,
    ) {
        $this->key = KeyOf::columns($definition->carried()->names(), $definition->key);
        $landed = $definition->landedTable();
        $this->landedKey = KeyOf::columns($landed->shape->names(), $landed->key);
        $this->plan = match (true) {
            $landed->forks !== [] => new ForkedPlan($landed),
            $definition->landing === Landing::Append => new Journal,
            $definition->landing === Landing::Versions => new Versions($this->landedKey),
            default => new NetChanges($this->landedKey),
        };
        $this->aside = new AsideBook($id, $definitionId, $definition);
        $this->watch = new WatchCounter($id, $definition);
        $this->kept = new Treated;
        $this->slice = Slice::whole();
        $this->start = new JournalStart($this->key);
    }

    /**
     * From here on records are treated, and set aside under the receipt that comes next.
     *
     * @param  int  $landed  number of the last receipt that stands in the target
     */
    public function treat(string $sourceName, int $landed): void
    {
        $this->treater ??= Treating::of($this->definition, $sourceName, 0);
        $this->sequence = $landed + 1;
        $this->aside->begin($landed);
        $this->forgetKept();
    }

    /** The run that what comes next belongs to. */
    public function runs(int $run, string $sourceName): void
    {
        if ($run !== $this->run) {
            $this->run = $run;
            $this->treater?->stamp(Treating::stamps($sourceName, $run));
        }
    }

    public function isTreated(): bool
    {
        return $this->treater !== null;
    }

    /** @return array{dropped: int, setAside: int} */
    public function kept(): array
    {
        return ['dropped' => $this->kept->dropped, 'setAside' => $this->setAside];
    }

    public function warned(): int
    {
        return $this->kept->warned;
    }

    /** The batch has landed. */
    public function landedAs(int $sequence): void
    {
        $this->sequence = $sequence + 1;
        $this->watch->add($this->passed, $this->kept);
        $this->forgetKept();
    }

    private function forgetKept(): void
    {
        $this->kept = new Treated;
        $this->setAside = $this->passed = 0;
    }

    public function fits(Relation $relation): bool
    {
        $wanted = $this->definition->carried()->names();
        $known = [...$this->definition->shape->names(), ...$this->definition->leaveOut];

        return array_diff($wanted, $relation->columns) === [] && array_diff($relation->columns, $known) === [];
    }

    public function forget(Relation $relation): void
    {
        unset($this->picks[$relation->id]);
    }

    public function change(LoggedRow $row, int $number): Change
    {
        $relation = $row->relation;
        if (! array_key_exists($relation->id, $this->picks)) {
            $this->picks[$relation->id] = $this->pick($relation->columns);
        }

        return $this->picked($row->operation, $row->before, $row->after, $this->picks[$relation->id], $number);
    }

    /**
     * @param  list<string>  $columns  in the order of a row's values
     * @return list<int|false>|null
     */
    private function pick(array $columns): ?array
    {
        $wanted = $this->definition->carried()->names();

        return $wanted === $columns ? null : array_map(static fn (string $c): int|false => array_search($c, $columns, true), $wanted);
    }

    /**
     * @param  'load'|'insert'|'update'|'delete'  $kind
     * @param  list<string|false|null>|null  $before
     * @param  list<string|false|null>|null  $after
     * @param  list<int|false>|null  $pick
     */
    private function picked(string $kind, ?array $before, ?array $after, ?array $pick, int $number): Change
    {
        if ($pick === null) {
            return new Change($kind, $before, $after, $number);
        }
        $picked = static fn (?array $values): ?array => $values === null ? null : array_map(static fn (int|false $at): string|false|null => $at === false ? false : $values[$at], $pick);
        $change = new Change($kind, $picked($before), $picked($after), $number);
        if (in_array(false, $pick, true)) {
            $this->lacking($change);
        }

        return $change;
    }

    /** A change was made while a column was not there under its name: what it holds now is known to the source only. */
    private function lacking(Change $change): void
    {
        foreach ([$change->before, $change->after] as $row) {
            if ($row !== null && ! $this->key->isSaid($row)) {
                $this->unclear = true;
            } elseif ($row !== null) {
                $this->reread($this->key->values($row));
            }
        }
    }

    /** @param  list<string>  $key  of a row that is read again beside the changes */
    public function reread(array $key): void
    {
        $text = implode("\0", $key);
        if (! isset($this->rereads[$text])) {
            $this->rereads[$text] = $this->newRereads[$text] = $key;
        }
    }

    /**
     * A row of which only the key is known.
     *
     * @param  list<string>  $key
     * @return list<string|false>
     */
    public function keyed(array $key): array
    {
        $row = array_fill(0, count($this->definition->carried()->columns), false);
        foreach ($this->key->places as $i => $at) {
            $row[$at] = $key[$i];
        }

        return array_values($row);
    }

    /** @return list<list<string>> keys that were added since the last call */
    public function takeNewRereads(): array
    {
        [$new, $this->newRereads] = [array_values($this->newRereads), []];

        return $new;
    }

    public function take(Change $change, SourceCommit $commit): void
    {
        if ($this->unclear && ! $this->key->isSaid($change->before ?? $change->after ?? [])) {
            return;
        }
        // A journal tells what happened as it did.
        if ($this->shared !== null && $this->definition->landing !== Landing::Append && ($change = $this->apartFromOthers($this->shared, $change, $commit)) === null) {
            $this->taken++;

            return;
        }
        if ($this->startsJournal()) {
            $this->start->hold($change, $commit);

            return;
        }
        if ($this->position->isLoading() && $this->leavesKey($change) && in_array(false, Change::filled($change->after ?? [], $change->before ?? []), true)) {
            // The row may not have been loaded under its old key, and then nobody but the source knows the rest of it.
            $this->reread($this->key->values($change->after ?? []));
        }
        $this->add($this->window === null || $this->window->opened === 0 ? $change : $this->window->settle($change), $commit);
        $this->taken++;
    }

    /** A change with one row a key, where the source lets several stand there for a moment. */
    private function apartFromOthers(SharedKeys $shared, Change $change, SourceCommit $commit): ?Change
    {
        $told = $shared->told($change, $commit);
        $unknown = $shared->unknown();
        $this->unclear = $this->unclear || $unknown === null;
        array_map($this->reread(...), $unknown ?? []);

        return $told;
    }

    /** Whether the entries of a journal still have to be told from what the first load brings. */
    public function startsJournal(): bool
    {
        return $this->definition->landing === Landing::Append && $this->position->isLoading() && ! $this->complete;
    }

    /**
     * Takes what was held into the plan.
     *
     * @param  callable(list<string>, list<list<string>>): list<bool>  $passed  which keys come no later than the first, at the source
     */
    public function settleStart(callable $passed): void
    {
        if ($this->start->isEmpty()) {
            return;
        }
        $keys = $this->start->keys();
        $upTo = static fn (?array $reached, bool $otherwise): array => array_combine(array_keys($keys), $reached === null ? array_fill(0, count($keys), $otherwise) : $passed($reached, array_values($keys)));
        $open = $this->window !== null && $this->window->opened !== 0 && $this->window->asked === null ? $this->window : null;
        [$entries, $unknown] = $this->start->settle($upTo($this->position->key, false), match (true) {
            $open === null => null, $open->chunk->last => $upTo(null, true), default => $upTo($open->lastKey, false),
        }, $open);
        foreach ($entries as [$change, $commit]) {
            $this->add($change, $commit);
        }
        array_map($this->reread(...), $unknown);
    }

    /** Has a change treated, and takes what is left of it into the plan. */
    public function add(Change $change, SourceCommit $commit): void
    {
        $change = $this->overtake($change);
        if ($change->after !== null && ($unwritable = $this->bounds->fault($change->after)) !== null) {
            $this->setAside++;
            $this->aside->addUnwritable($change->after, $unwritable, $this->place($change, $commit));
            if ($this->leavesKey($change)) {
                $this->plan->add(new Change('delete', $this->treater === null ? $change->before : $this->treater->before($change->before ?? []), null, $change->number), $commit);
            }

            return;
        }
        if ($this->treater === null) {
            $this->plan->add($change, $commit);

            return;
        }
        $before = $change->before === null ? null : $this->treater->before($change->before);
        if ($change->after === null) {
            if ($this->landedKey->isSaid($before ?? [])) {
                $this->plan->add(new Change($change->kind, $before, null, $change->number), $commit);
            } else {
                // Its key cannot be treated, so the row never landed.
                $this->kept->dropped++;
            }

            return;
        }
        $after = $this->treater->row($this->filled($change), $this->kept);
        if ($after !== null) {
            $this->passed++;
            $this->land($change->kind, $before, $after, $change->number, $commit);

            return;
        }
        $this->withdraw($change->number, $commit);
        foreach ($this->kept->apart as $apart) {
            $this->setAside++;
            $this->aside->add($apart, $this->place($change, $commit));
        }
        $this->kept->apart = [];
        if ($this->leavesKey($change)) {
            // The row is no longer what it was, whatever becomes of what it is now.
            $this->plan->add(new Change('delete', $before, null, $change->number), $commit);
        }
    }

    /** @return array{run: int, sequence: int, position: string, lsn: int, number: int, kind: string, at: int} where a record that is set aside came from */
    private function place(Change $change, SourceCommit $commit): array
    {
        return ['run' => $this->run, 'sequence' => $this->sequence, 'position' => Lsn::text($commit->lsn), 'lsn' => $commit->lsn, 'number' => $change->number, 'kind' => $change->kind, 'at' => $commit->at];
    }

    /**
     * @param  'load'|'insert'|'update'|'delete'  $kind
     * @param  list<string|false|null>|null  $before
     * @param  list<string|false|null>  $after
     */
    private function land(string $kind, ?array $before, array $after, int $number, SourceCommit $commit): void
    {
        if ($this->plan instanceof ForkedPlan) {
            $this->plan->land($this->treater->took ?? Fork::OWN, $kind, $before, $after, $number, $commit);
        } else {
            $this->plan->add(new Change($kind, $before, $after, $number), $commit);
        }
    }

    /** A row that a choice keeps out, for it takes no fork, goes from where it stood; of a journal it is only no entry. */
    private function withdraw(int $number, SourceCommit $commit): void
    {
        if ($this->plan instanceof ForkedPlan && $this->definition->landing !== Landing::Append && $this->treater?->left !== null) {
            $this->plan->withdraw($this->treater->left, $number, $commit);
        }
    }

    /**
     * A row that may go to another table takes all of its values along: what a change does not say of it may stand in
     * what it says of the row before.
     *
     * @return list<string|false|null>
     */
    private function filled(Change $change): array
    {
        $after = $change->after ?? [];

        return ! $this->plan instanceof ForkedPlan || $change->before === null ? $after
            : array_map(static fn (string|false|null $a, string|false|null $b): string|false|null => $a === false ? $b : $a, $after, $change->before);
    }

    /**
     * Rows of a load come together, so what they need is looked up together.
     *
     * @param  array<array-key, list<string|null>>  $rows
     */
    public function expect(array $rows): void
    {
        $this->treater?->expect($rows);
    }

    private function leavesKey(Change $change): bool
    {
        return $change->before !== null && $change->after !== null && $this->key->isSaid($change->before) && $this->key->isSaid($change->after)
            && $this->key->text($change->before) !== $this->key->text($change->after);
    }

    /**
     * What waits of a row that changes again must never land after the change. Values that the change does not say, for
     * they are the same, are taken from what waits: the landed row may never have had them.
     */
    private function overtake(Change $change): Change
    {
        if (! $this->aside->anyWaiting() || $this->definition->landing !== Landing::Upsert) {
            return $change;
        }
        $after = $change->after;
        foreach ([$change->before, $change->after] as $row) {
            if ($row !== null && $this->aside->isWaiting($hash = $this->aside->hash($row))) {
                if ($after !== null && in_array(false, $after, true)) {
                    $known = $this->aside->lastOf($hash);
                    $after = array_map(static fn (string|false|null $v, string|false|null $k): string|false|null => $v === false ? $k : $v, $after, $known);
                }
                $this->aside->overtake([$hash], $this->sequence);
            }
        }

        return $after === $change->after ? $change : new Change($change->kind, $change->before, $after, $change->number);
    }

    /**
     * Takes a record that was set aside before into the plan.
     *
     * @param  list<string|false|null>  $raw
     * @return Apart|bool why it fails again, or whether it will land
     */
    public function again(array $raw, string $kind, SourceCommit $commit, int $number): Apart|bool
    {
        $into = new Treated;
        $after = $this->treater === null ? $raw : $this->treater->row($raw, $into);
        if ($after !== null) {
            $this->passed++;
            $this->land($kind, null, $after, $number, $commit);
        } else {
            $this->withdraw($number, $commit);
        }
        $this->watch->add(0, $into);
        $this->kept->dropped += $into->dropped;
        $this->setAside += count($into->apart);

        return $after !== null ?: $into->apart[0] ?? false;
    }

    public function sequence(): int
    {
        return $this->sequence;
    }

    /**
     * Notes when a change was made. A unit of changes may span hours, so their times are rounded: to a millisecond, and
     * once there are many to a tenth of a second, which is little beside such a span.
     *
     * @param  int  $at  microseconds
     */
    public function made(int $at): void
    {
        $step = count($this->takenAt) < 5000 ? 1_000 : 100_000;
        $at -= $at % $step;
        $this->takenAt[$at] = ($this->takenAt[$at] ?? 0) + 1;
    }

    /** The transaction being read is complete. */
    public function committed(int $at): void
    {
        $known = array_sum($this->takenAt);
        foreach ($this->takenAt as $made => $changes) {
            $this->commits[] = [$made, $changes];
        }
        if ($this->taken > $known) {
            $this->commits[] = [$at, $this->taken - $known];
        }
        $this->taken = 0;
        $this->takenAt = [];
    }

    /**
     * A change as the spool keeps it: by column names, since the shape may have moved on when it is taken out again.
     *
     * @return array<string, mixed>
     */
    public static function entry(LoggedRow $row, int $number): array
    {
        return ['k' => $row->operation, 'c' => $row->relation->columns, 'b' => $row->before, 'a' => $row->after, 'n' => $number];
    }

    /** @param  array<string, mixed>  $entry */
    public function fromEntry(array $entry): Change
    {
        return $this->picked($entry['k'], $entry['b'], $entry['a'], $this->pick($entry['c']), $entry['n']);
    }
}
