<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment;

use Lighterman\Core\Shape\Type;
use Lighterman\Core\Treatment\Step\Convert;
use Lighterman\Core\Treatment\Value\Fault;
use Lighterman\Core\Treatment\Value\Worker;

/**
 * Answers of one lookup, kept for a while. Keys that are not known yet are gathered and asked for together.
 */
final class LookupCache implements Worker
{
    /** Answers kept; once there are more, the oldest half is forgotten. */
    private const MOST = 100_000;

    /** @var array<array-key, array{string|bool|null, int}> the answer, false for none and true for several, and when it was given */
    private array $answers = [];

    /** @var array<array-key, true> */
    private array $wanted = [];

    private bool $gathering = false;

    private int $now = 0;

    public int $queries = 0;

    private readonly ?Convert $asKey;

    /**
     * @param  Type  $matchType  of the column that keys are looked for in
     * @param  int  $age  seconds for which an answer is good
     * @param  string|null|false  $else  what stands for a value that is not found; false where the record fails
     */
    public function __construct(private readonly LookupTable $table, Type $matchType, private readonly int $age, private readonly string|null|false $else)
    {
        $this->asKey = $matchType->kind->isText() ? null : new Convert($matchType);
    }

    /** @param  bool  $gathering  whether what is not known is only noted, to be fetched together */
    public function begin(bool $gathering): void
    {
        $this->now = $this->table->now();
        $this->gathering = $gathering;
    }

    public function of(string $value): ?string
    {
        $known = $this->answers[$value] ?? null;
        if ($known === null || $this->now >= $known[1] + $this->age) {
            if ($this->gathering) {
                $this->wanted[$value] = true;

                return null;
            }
            $this->wanted[$value] = true;
            $this->fetch();
            $known = $this->answers[$value];
        }
        if (! is_bool($known[0])) {
            return $known[0];
        }
        if ($known[0]) {
            throw Fault::because('several_found', 'the lookup has several values for it');
        }

        return $this->else !== false ? $this->else : throw Fault::because('not_found', 'the value is not found in the lookup');
    }

    public function lacks(): bool
    {
        return $this->wanted !== [];
    }

    public function fetch(): void
    {
        if (count($this->answers) + count($this->wanted) > self::MOST) {
            $this->answers = array_slice($this->answers, intdiv(count($this->answers), 2), null, true);
        }
        foreach (array_chunk(array_keys($this->wanted), LookupTable::AT_ONCE) as $some) {
            $keys = [];
            foreach ($some as $value) {
                try {
                    $keys[(string) $value] = $this->asKey === null ? (string) $value : $this->asKey->worked((string) $value);
                } catch (Fault) {
                    // What is not even of the column's type is not there.
                    $keys[(string) $value] = null;
                }
            }
            $asked = array_values(array_unique(array_filter($keys, static fn (?string $k): bool => $k !== null)));
            $this->queries += (int) ($asked !== []);
            $found = $asked === [] ? [] : $this->table->fetch($asked);
            foreach ($keys as $value => $key) {
                // Taken out first, so that the newest answers stand last.
                unset($this->answers[$value]);
                $answer = $key !== null && array_key_exists($key, $found) ? $found[$key] : null;
                $this->answers[$value] = [$key === null || ! array_key_exists($key, $found) ? false : ($answer === false ? true : $answer), $this->now];
            }
        }
        $this->wanted = [];
    }
}
