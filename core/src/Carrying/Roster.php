<?php

declare(strict_types=1);

namespace Lighterman\Core\Carrying;

use Lighterman\Core\Capture\Log\Relation;
use LogicException;

/** The feeds of a route while its changes are read: which there are, which table each takes, what each wants next. */
final class Roster
{
    /** @var array<int, Carrier> by number of the feed */
    private array $carriers = [];

    /** @var array<int, Carrier>|null null when it has to be looked for again */
    private ?array $restless = null;

    /** @var array<int, list<Carrier>> by number of the source's table */
    private array $byRelation = [];

    /** @return array<int, Carrier> */
    public function all(): array
    {
        return $this->carriers;
    }

    public function find(int $feed): ?Carrier
    {
        return $this->carriers[$feed] ?? null;
    }

    public function put(Carrier $carrier): void
    {
        $this->carriers[$carrier->feed->id] = $carrier;
        $this->byRelation = [];
        $this->restless = null;
    }

    public function remove(int $feed): void
    {
        unset($this->carriers[$feed]);
        $this->byRelation = [];
        $this->restless = null;
    }

    /** Whether there is one only. */
    public function isSole(): bool
    {
        return count($this->carriers) === 1;
    }

    /** @return list<Carrier> that carry a table */
    public function of(Relation $relation): array
    {
        return $this->byRelation[$relation->id] ??= array_values(array_filter($this->carriers, static fn (Carrier $c): bool => (string) $c->definition->origin->table === (string) $relation->table));
    }

    /** A feed's lasting id; empty for one that is carried no more. */
    public function uid(int $feed): string
    {
        return $this->carriers[$feed]->feed->uid ?? '';
    }

    public function named(string $uid): Carrier
    {
        foreach ($this->carriers as $carrier) {
            if ($carrier->feed->uid === $uid) {
                return $carrier;
            }
        }
        throw new LogicException("No feed {$uid} is carried here.");
    }

    /** What a feed may do has changed. */
    public function lookAgain(): void
    {
        $this->restless = null;
    }

    /**
     * Those that load, or spool: few or none most of the time, and looked through between any two transactions.
     *
     * @return array<int, Carrier>
     */
    private function restless(): array
    {
        return $this->restless ??= array_filter($this->carriers, static fn (Carrier $c): bool => $c->spools() || $c->load->asked || $c->position->isLoading() || ! $c->rereads->isEmpty());
    }

    /** A mark is written, before which everything is older than what was asked for until now. */
    public function marked(int $number): void
    {
        array_map(static fn (Carrier $c) => $c->load->marked($number), $this->carriers);
    }

    public function markCame(int $number): void
    {
        array_map(static fn (Carrier $c) => $c->load->markCame($number), $this->carriers);
    }

    /** Whether something is left that will end by itself: loads, or a spool that can be landed. */
    public function busy(): bool
    {
        return array_filter($this->restless(), static fn (Carrier $c): bool => ! $c->isKept()) !== [];
    }

    /** One whose spool is to be landed. */
    public function drainable(): ?Carrier
    {
        return self::first($this->restless(), static fn (Carrier $c): bool => $c->stage() === Stage::CatchingUp);
    }

    /** One with records that are to be sent again, and that may land. */
    public function sendable(): ?Carrier
    {
        return self::first($this->carriers, static fn (Carrier $c): bool => $c->again && ! $c->spools());
    }

    /** One whose small files are to be joined. */
    public function joinable(): ?Carrier
    {
        return self::first($this->carriers, static fn (Carrier $c): bool => $c->joins);
    }

    public function withWindow(int $number): ?Carrier
    {
        return self::first($this->restless(), static fn (Carrier $c): bool => $c->window?->number === $number);
    }

    /**
     * @param  array<int, Carrier>  $of
     * @param  callable(Carrier): bool  $is
     */
    private static function first(array $of, callable $is): ?Carrier
    {
        foreach ($of as $carrier) {
            if ($is($carrier)) {
                return $carrier;
            }
        }

        return null;
    }

    /** @return list<string> the lasting ids of those that land now */
    public function landing(): array
    {
        return array_values(array_map(static fn (Carrier $c): string => $c->feed->uid, array_filter($this->carriers, static fn (Carrier $c): bool => $c->admitted && ! $c->isKept())));
    }

    /** @return list<int> numbers of those whose changes go to the spool */
    public function spooling(): array
    {
        return array_keys(array_filter($this->carriers, static fn (Carrier $c): bool => $c->spools()));
    }

    /** @return list<Carrier> those of which a part is to be read: the next chunk of a load, or keys */
    public function wantingChunk(int $atOnce): array
    {
        $loading = array_filter($this->restless(), static fn (Carrier $c): bool => ! $c->spools() && ($c->position->isLoading() || ! $c->rereads->isEmpty()) && (! $c->hasYetToBegin() || $c->load->mayBegin()));
        $free = $atOnce - count(array_filter($loading, static fn (Carrier $c): bool => $c->window !== null));

        return $free <= 0 ? [] : array_slice(array_values(array_filter($loading, static fn (Carrier $c): bool => $c->window === null)), 0, $free);
    }

    /** Bytes of the chunks that are on their way. */
    public function windowBytes(): int
    {
        return array_sum(array_map(static fn (Carrier $c): int => $c->window->chunk->bytes ?? 0, $this->restless()));
    }
}
