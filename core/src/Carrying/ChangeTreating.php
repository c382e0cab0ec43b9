<?php

declare(strict_types=1);

namespace Lighterman\Core\Carrying;

use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Format\CopyText;
use Lighterman\Core\Landing\Change;
use Lighterman\Core\Landing\ChangePlan;
use Lighterman\Core\Landing\ForkedPlan;
use Lighterman\Core\Landing\KeyOf;
use Lighterman\Core\Landing\SourceCommit;
use Lighterman\Core\Landing\Trial;
use Lighterman\Core\Position\Position;
use Lighterman\Core\Record\Arrival;
use Lighterman\Core\Record\Bounds;
use Lighterman\Core\Record\Unwritable;
use Lighterman\Core\Treatment\Apart;
use Lighterman\Core\Treatment\Fork;
use Lighterman\Core\Treatment\Outcome;
use Lighterman\Core\Treatment\Treated;
use Lighterman\Core\Treatment\Treater;

/** Has the changes of one feed treated on their way into its plan, and sets aside what cannot land. */
final class ChangeTreating
{
    /** Records that a target takes one after the other before it is asked no more. */
    private const TAKEN = 2000;

    /** What is done to its records on the way; null for nothing. */
    private ?Treater $treater = null;

    private readonly KeyOf $landedKey;

    /** Changes that were read but do not land, since the last commit. */
    private Treated $kept;

    private int $setAside = 0;

    private int $passed = 0;

    /** Number that the receipt of the batch under way will have. */
    private int $sequence = 0;

    private int $run = 0;

    /** What asks the target about each record; null where it takes them. */
    private ?Trial $trial = null;

    /** Records that it was asked about since it refused one. */
    private int $taken = 0;

    public function __construct(
        private readonly FeedDefinition $definition,
        private readonly KeyOf $key,
        private readonly ChangePlan $plan,
        public readonly Bounds $bounds,
        public readonly Aside $aside,
        public readonly Watched $watch,
    ) {
        $landed = $definition->landedTable();
        $this->landedKey = KeyOf::columns($landed->shape->names(), $landed->key);
        $this->kept = new Treated;
    }

    /**
     * From here on records are treated, and set aside under the receipt that comes next.
     *
     * @param  Treater|null  $treater  null for nothing to be done to them
     * @param  int  $landed  number of the last receipt that stands in the target
     */
    public function begin(?Treater $treater, int $landed): void
    {
        $this->treater = $treater;
        $this->beginAgain($landed);
    }

    /** What was under way did not land. */
    public function beginAgain(int $landed): void
    {
        $this->sequence = $landed + 1;
        $this->aside->begin($landed);
        $this->watch->forget();
        $this->forgetKept();
    }

    /**
     * The run that what comes next belongs to.
     *
     * @param  callable(): array<string, string>  $stamps  that name it
     */
    public function runs(int $run, callable $stamps): void
    {
        if ($run !== $this->run) {
            $this->run = $run;
            $this->treater?->stamp($stamps());
        }
    }

    /** From here on the target is asked about each record, for it has refused some. @return bool whether it was not yet */
    public function tries(Trial $trial): bool
    {
        if ($this->trial !== null || $this->definition->treatment->refused() !== Outcome::SetAside) {
            return false;
        }
        [$this->trial, $this->taken] = [$trial, 0];

        return true;
    }

    /** @param  list<string|false|null>  $row  as it was read; what was not sent is not looked at */
    private function refused(array $row): ?Unwritable
    {
        if ($this->trial === null) {
            return null;
        }
        $lands = LandsAs::of($this->treater, $this->definition->landedTable(), $row);
        if ($lands === null) {
            return null;
        }
        $why = $this->trial->refused($lands->table, [CopyText::line(array_map(static fn (string|false|null $v): ?string => $v === false ? null : $v, $lands->row))])[0] ?? null;
        $this->taken = $why === null ? $this->taken + 1 : 0;
        // It costs a question for each, and is begun again with the next that is refused.
        $this->trial = $this->taken > self::TAKEN ? null : $this->trial;

        return $why;
    }

    public function isTreated(): bool
    {
        return $this->treater !== null;
    }

    public function treater(): ?Treater
    {
        return $this->treater;
    }

    public function sequence(): int
    {
        return $this->sequence;
    }

    /** Where the feed stands once the batch has landed, with what was kept out of it. */
    public function arrival(string $feed, Position $to, int $run): Arrival
    {
        return new Arrival($feed, $to, $run, $this->kept->dropped, $this->setAside);
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

    /** Has a change treated, and takes what is left of it into the plan. */
    public function add(Change $change, SourceCommit $commit): void
    {
        $change = $this->overtake($change);
        if ($change->after !== null && ($unwritable = $this->bounds->fault($change->after) ?? $this->refused($this->filled($change))) !== null) {
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

    private function place(Change $change, SourceCommit $commit): ApartPlace
    {
        return new ApartPlace($this->run, $this->sequence, $commit->place->label(), $change->number, $change->kind, $commit->at);
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
        if ($this->plan instanceof ForkedPlan && ! $this->definition->destination->landing->adds() && $this->treater?->left !== null) {
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

    /** Whether a change gives its row another key. */
    public function leavesKey(Change $change): bool
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
        if (! $this->aside->anyWaiting() || ! $this->definition->destination->landing->merges()) {
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
     * @param  'load'|'insert'|'update'|'delete'  $kind
     * @return Apart|Unwritable|bool why it fails again, or whether it will land
     */
    public function again(array $raw, string $kind, SourceCommit $commit, int $number): Apart|Unwritable|bool
    {
        $refused = $this->refused($raw);
        if ($refused !== null) {
            return $refused;
        }
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
}
