<?php

declare(strict_types=1);

namespace Lighterman\Core\Carrying;

/** Keys of rows that could not be landed whole, and are read again one by one beside the changes. */
final class Rereads
{
    /** With more of them the table is loaded again. */
    private const MOST = 10_000;

    private const AT_ONCE = 500;

    /** @var array<string, list<string>> by their text */
    private array $keys = [];

    /** @var array<string, list<string>> those of them that are not written down yet */
    private array $new = [];

    private bool $lost = false;

    /** @param  list<list<string>>  $keys  that were written down before */
    public function know(array $keys): void
    {
        foreach ($keys as $key) {
            $this->keys[implode("\0", $key)] = $key;
        }
    }

    /** @param  list<string>  $key */
    public function add(array $key): void
    {
        $text = implode("\0", $key);
        if (! isset($this->keys[$text])) {
            $this->keys[$text] = $this->new[$text] = $key;
        }
    }

    /** A row has to be read again of which not even the key is known. */
    public function lose(): void
    {
        $this->lost = true;
    }

    public function isLost(): bool
    {
        return $this->lost;
    }

    /** Whether only the whole table can be read again, for keys are not known or too many. */
    public function exceed(): bool
    {
        return $this->lost || count($this->keys) > self::MOST;
    }

    public function forget(): void
    {
        $this->keys = $this->new = [];
        $this->lost = false;
    }

    /** @return list<list<string>> keys that were added since the last call */
    public function takeNew(): array
    {
        [$new, $this->new] = [array_values($this->new), []];

        return $new;
    }

    public function isEmpty(): bool
    {
        return $this->keys === [];
    }

    /** @return list<list<string>> those to be read next */
    public function next(): array
    {
        return array_values(array_slice($this->keys, 0, self::AT_ONCE));
    }

    /**
     * @param  list<list<string>>  $keys  whose rows have landed
     * @return list<list<string>> those that are left
     */
    public function done(array $keys): array
    {
        foreach ($keys as $key) {
            unset($this->keys[implode("\0", $key)]);
        }

        return array_values($this->keys);
    }
}
