<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment;

/** What became of some records. */
final class Treated
{
    /** @var array<int, string> lines that land, in the text form of COPY, by fork; Fork::DROPPED has those a choice keeps out */
    public array $landed = [];

    public int $dropped = 0;

    public int $warned = 0;

    /** @var array<int, int> records that landed and satisfy a rule, by rule */
    public array $matched = [];

    /** @var array<int, list<list<string|false|null>>> some of them, as they landed, by rule */
    public array $samples = [];

    /** @var list<Apart> */
    public array $apart = [];

    /** The lines that land in the feed's own table. */
    public function own(): string
    {
        return $this->landed[Fork::OWN] ?? '';
    }

    /** How many records land. */
    public function landing(): int
    {
        return array_sum(array_map(static fn (int $fork, string $lines): int => $fork === Fork::DROPPED ? 0 : substr_count($lines, "\n"), array_keys($this->landed), $this->landed));
    }
}
