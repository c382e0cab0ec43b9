<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment;

/** Has what many records need looked up together. */
final readonly class LookupRounds
{
    /** @param  list<LookupCache>  $lookups */
    public function __construct(private array $lookups)
    {
    }

    /** Queries taken so far; null where nothing is looked up. */
    public function queries(): ?int
    {
        return $this->lookups === [] ? null : array_sum(array_map(static fn (LookupCache $l): int => $l->queries, $this->lookups));
    }

    /** What is not known is asked for one by one from here on. */
    public function askNow(): void
    {
        foreach ($this->lookups as $lookup) {
            $lookup->begin(gathering: false);
        }
    }

    /**
     * Records are gone through until nothing is lacking, since one lookup may need what another gives.
     *
     * @param  callable(): mixed  $go  goes through them, without any effect
     */
    public function rounds(callable $go): void
    {
        for ($rounds = 0; $this->lookups !== [] && $rounds <= count($this->lookups); $rounds++) {
            foreach ($this->lookups as $lookup) {
                $lookup->begin(gathering: true);
            }
            $go();
            $lacking = array_filter($this->lookups, static fn (LookupCache $l): bool => $l->lacks());
            foreach ($this->lookups as $lookup) {
                $lookup->lacks() && $lookup->fetch();
                $lookup->begin(gathering: false);
            }
            if ($lacking === []) {
                return;
            }
        }
    }
}
