<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment;

use Lighterman\Core\Format\CopyText;

/** What became of some records. */
final class Treated
{
    /** Records that are kept as examples of a rule. */
    private const SAMPLES = 3;

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

    /**
     * A record lands that satisfies a rule.
     *
     * @param  string|list<string|false|null>  $landed  a line in the text form of COPY, or the values
     */
    public function match(int $rule, string|array $landed): void
    {
        $this->matched[$rule] = ($this->matched[$rule] ?? 0) + 1;
        if (count($this->samples[$rule] ?? []) < self::SAMPLES) {
            $this->samples[$rule][] = is_string($landed) ? CopyText::row($landed) : $landed;
        }
    }

    /**
     * What becomes of a record that was looked at.
     *
     * @param  int  $n  its place in the block
     * @return bool whether it lands
     *
     * @throws TreatmentStopped
     */
    public function settle(Judging $judging, int $n): bool
    {
        switch ($judging->outcome()) {
            case Outcome::Stop:
                throw TreatmentStopped::at($judging->decisive() ?? $judging->failures[0]);
            case Outcome::SetAside:
                $this->apart[] = new Apart($judging->row, $judging, $n);

                return false;
            case Outcome::Drop:
                $this->dropped++;

                return false;
            case Outcome::Warn:
                $this->warned++;
        }

        return true;
    }

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
