<?php

declare(strict_types=1);

namespace App\Runtime\Log;

use Lighterman\Core\Capture\Log\LoggedRow;
use Lighterman\Core\Capture\Log\Relation;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Landing\Change;
use Lighterman\Core\Landing\ChangePlan;
use Lighterman\Core\Landing\Journal;
use Lighterman\Core\Landing\KeyOf;
use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Landing\NetChanges;
use Lighterman\Core\Landing\SourceCommit;
use Lighterman\Core\Landing\Versions;
use Lighterman\Core\Position\Position;

/** One feed while its route's log is read. */
final class Carrier
{
    public readonly ChangePlan $plan;

    public readonly KeyOf $key;

    /** Whether its changes go to the spool instead of landing with the others. */
    public bool $apart = false;

    /** Whether a person, or trouble of its own, keeps it from landing. */
    public bool $blocked = false;

    /** Rows of the next chunk of a load. */
    public int $chunkRows = 500;

    /** Whether the load must go over the table once more: a row moved, before it was loaded, to a key that had been passed. */
    public bool $onceMore = false;

    public bool $secondTime = false;

    /** Whether a load has come to its end, so that every row of the source is there. */
    public bool $complete = false;

    /** @var list<string>|null last key of a part that is loaded again */
    public ?array $loadUntil = null;

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

    /** @var array<int, list<int>|null> by relation: which of its columns are carried; null for all in order */
    private array $picks = [];

    public function __construct(
        public readonly int $id,
        public readonly string $uid,
        public readonly string $name,
        public readonly int $definitionId,
        public readonly FeedDefinition $definition,
        public Position $position,
    ) {
        $this->key = KeyOf::columns($definition->carried()->names(), $definition->key);
        $this->plan = match ($definition->landing) {
            Landing::Append => new Journal,
            Landing::Versions => new Versions($this->key),
            default => new NetChanges($this->key),
        };
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
            $wanted = $this->definition->carried()->names();
            $this->picks[$relation->id] = $wanted === $relation->columns ? null : array_map(static fn (string $c): int => (int) array_search($c, $relation->columns, true), $wanted);
        }
        $pick = $this->picks[$relation->id];

        return $pick === null
            ? new Change($row->operation, $row->before, $row->after, $number)
            : new Change($row->operation, self::picked($row->before, $pick), self::picked($row->after, $pick), $number);
    }

    public function take(Change $change, SourceCommit $commit): void
    {
        $this->plan->add($this->window === null || $this->window->opened === 0 ? $change : $this->window->settle($change), $commit);
        $this->taken++;
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
        $pick = array_map(static fn (string $c): int|false => array_search($c, $entry['c'], true), $this->definition->carried()->names());

        return new Change($entry['k'], self::picked($entry['b'], $pick), self::picked($entry['a'], $pick), $entry['n']);
    }

    /**
     * @param  list<string|false|null>|null  $values
     * @param  list<int|false>  $pick  false for a column that did not exist yet
     * @return list<string|false|null>|null
     */
    private static function picked(?array $values, array $pick): ?array
    {
        return $values === null ? null : array_map(static fn (int|false $at): string|false|null => $at === false ? null : $values[$at], $pick);
    }
}
