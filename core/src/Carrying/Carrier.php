<?php

declare(strict_types=1);

namespace Lighterman\Core\Carrying;

use Lighterman\Core\Capture\Log\LoggedRow;
use Lighterman\Core\Capture\TableIdentity;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Landing\Change;
use Lighterman\Core\Landing\ChangePlan;
use Lighterman\Core\Landing\KeyOf;
use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Landing\Plans;
use Lighterman\Core\Landing\SharedKeys;
use Lighterman\Core\Landing\SourceCommit;
use Lighterman\Core\Position\Place;
use Lighterman\Core\Position\Position;
use Lighterman\Core\Record\Bounds;
use LogicException;

/** One feed while its route's changes are read. */
final class Carrier
{
    public readonly ChangePlan $plan;

    public readonly KeyOf $key;

    public readonly ChangeTreating $treating;

    public readonly ColumnPick $columns;

    public readonly Rereads $rereads;

    public readonly Load $load;

    public readonly SpoolParts $spooling;

    public readonly CommitTimes $times;

    private readonly JournalStart $start;

    private Stage $stage = Stage::CatchingUp;

    /** Whether the target has taken it in. */
    public bool $admitted = false;

    /** Whether a chunk has been opened, so that changes count that come after it. */
    private bool $begun = false;

    /** Whether records that were set aside are to be sent again. */
    public bool $again = false;

    /** Whether the small files of what it has landed are to be joined. */
    public bool $joins = false;

    /** Whether what a person decided on an emptied table is carried out by what is being landed. */
    public bool $decided = false;

    /** What the source's catalogue said of the table when its load began. */
    public ?TableIdentity $identity = null;

    /** Tells rows apart that stand at one key within a transaction; null where the source lets none. */
    public ?SharedKeys $shared = null;

    public ?Window $window = null;

    /** @param  Position  $position  where it stands in the target */
    public function __construct(
        public readonly CarriedFeed $feed,
        public readonly FeedDefinition $definition,
        public Position $position,
        Bounds $bounds,
        Aside $aside,
        Watched $watch,
    ) {
        $this->key = KeyOf::columns($definition->carried()->names(), $definition->origin->key);
        $this->plan = Plans::of($definition->landedTable());
        $this->treating = new ChangeTreating($definition, $this->key, $this->plan, $bounds, $aside, $watch);
        $this->columns = new ColumnPick($definition->carried()->names(), [...$definition->origin->shape->names(), ...$definition->origin->leaveOut]);
        $this->rereads = new Rereads;
        $this->load = new Load;
        $this->spooling = new SpoolParts;
        $this->times = new CommitTimes;
        $this->start = new JournalStart($this->key);
    }

    public function stage(): Stage
    {
        return $this->stage;
    }

    public function goes(Stage $next): void
    {
        if ($next !== $this->stage) {
            $this->stage = $this->stage->may($next) ? $next : throw new LogicException("A feed that is {$this->stage->name} cannot be {$next->name} next.");
        }
        if ($next === Stage::Kept) {
            $this->window = null;
        }
    }

    /**
     * Whether changes that come now are none of its business: its first chunk will show what they have done, for it is read
     * later. They may even be of a table that had the same name before.
     */
    public function hasYetToBegin(): bool
    {
        // Only the target knows whether it has begun.
        return $this->admitted && ! $this->begun && ! $this->position->hasBegun();
    }

    /** The low mark of its chunk has come. */
    public function opens(Window $window, Place $place): void
    {
        $window->opened = $place;
        $this->begun = true;
        $this->load->hasBegun();
    }

    /** Whether a person, or trouble of its own, keeps it from landing. */
    public function isKept(): bool
    {
        return $this->stage === Stage::Kept;
    }

    /** Whether its changes go to the spool instead of landing with the others. */
    public function spools(): bool
    {
        return $this->stage->spools();
    }

    /** A change as the stream tells it, in the order of the carried columns. */
    public function change(LoggedRow $row, int $number): Change
    {
        return $this->whole($this->columns->ofRow($row, $number), $row->relation->columns);
    }

    public function fromSpool(SpooledChange $spooled): Change
    {
        return $this->whole($this->columns->ofSpooled($spooled), $spooled->columns);
    }

    /**
     * A change that was made while a column was not there under its name: what it holds now is known to the source only.
     *
     * @param  list<string>  $columns
     */
    private function whole(Change $change, array $columns): Change
    {
        if ($this->columns->lacks($columns)) {
            foreach ([$change->before, $change->after] as $row) {
                if ($row !== null) {
                    $this->key->isSaid($row) ? $this->rereads->add($this->key->values($row)) : $this->rereads->lose();
                }
            }
        }

        return $change;
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

    public function take(Change $change, SourceCommit $commit): void
    {
        if ($this->rereads->isLost() && ! $this->key->isSaid($change->before ?? $change->after ?? [])) {
            return;
        }
        if ($this->startsJournal()) {
            $this->start->hold($change, $commit);

            return;
        }
        $this->times->taken();
        // A journal tells what happened as it did.
        if ($this->shared !== null && ! $this->definition->destination->landing->adds()) {
            $change = $this->apartFromOthers($this->shared, $change, $commit);
            if ($change === null) {
                return;
            }
        }
        if ($this->position->isLoading() && $this->treating->leavesKey($change) && in_array(false, Change::filled($change->after ?? [], $change->before ?? []), true)) {
            // The row may not have been loaded under its old key, and then nobody but the source knows the rest of it.
            $this->rereads->add($this->key->values($change->after ?? []));
        }
        $this->treating->add($this->window === null || $this->window->opened === null ? $change : $this->window->settle($change), $commit);
    }

    /** A change with one row a key, where the source lets several stand there for a moment. */
    private function apartFromOthers(SharedKeys $shared, Change $change, SourceCommit $commit): ?Change
    {
        $told = $shared->told($change, $commit);
        $unknown = $shared->unknown();
        $unknown === null ? $this->rereads->lose() : array_map($this->rereads->add(...), $unknown);

        return $told;
    }

    /** Whether the entries of a journal still have to be told from what the first load brings. */
    public function startsJournal(): bool
    {
        return $this->definition->destination->landing->adds() && $this->position->isLoading() && ! $this->load->complete;
    }

    /**
     * @param  array<string, list<string>>  $keys
     * @param  list<string>|null  $reached
     * @param  callable(list<string>, list<list<string>>): list<bool>  $passed
     * @return array<string, bool> whether each key comes no later than the one reached
     */
    private static function upTo(array $keys, ?array $reached, bool $otherwise, callable $passed): array
    {
        return array_combine(array_keys($keys), $reached === null ? array_fill(0, count($keys), $otherwise) : $passed($reached, array_values($keys)));
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
        $open = $this->window !== null && $this->window->opened !== null && $this->window->asked === null ? $this->window : null;
        [$entries, $unknown] = $this->start->settle(self::upTo($keys, $this->position->loadedTo(), false, $passed), match (true) {
            $open === null => null, $open->chunk->last => self::upTo($keys, null, true, $passed), default => self::upTo($keys, $open->lastKey, false, $passed),
        }, $open);
        foreach ($entries as [$change, $commit]) {
            $this->treating->add($change, $commit);
            $this->times->entered($commit->at);
        }
        array_map($this->rereads->add(...), $unknown);
    }

    /**
     * Takes the rows of a chunk whose marks have come into the plan, where nothing newer has come of them.
     *
     * @return bool false where it never opened
     */
    public function takeChunk(Window $window): bool
    {
        $this->window = null;
        if ($window->opened === null) {
            return false;
        }
        $at = new SourceCommit($window->opened, $window->chunk->at);
        // What they need is looked up together.
        $this->treating->treater()?->expect($window->rows);
        $number = 0;
        foreach ($window->rows as $row) {
            $this->treating->add(new Change('load', null, $row, $number++), $at);
        }
        foreach ($this->definition->destination->landing->adds() ? [] : $window->missing() as $key) {
            $this->treating->add(new Change('delete', $this->keyed($key), null, $number++), $at);
        }

        return true;
    }

    /**
     * What was taken since the last commit is landed later, from where it waits.
     *
     * @param  int  $landed  number of its last receipt that stands in the target
     */
    public function leaves(int $landed): void
    {
        $this->plan->clear();
        $this->start->forget();
        $this->times->forget();
        $this->shared = $this->shared === null ? null : new SharedKeys($this->key);
        $this->treating->beginAgain($landed);
        $this->goes(Stage::Kept);
        // Whatever has become of its landed table meanwhile, it is taken in again before anything of it lands.
        $this->admitted = false;
    }
}
