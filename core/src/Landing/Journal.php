<?php

declare(strict_types=1);

namespace Lighterman\Core\Landing;

/** Every change as an entry of its own, in order. */
final class Journal implements ChangePlan
{
    /** @var list<array{Change, SourceCommit}> */
    private array $entries = [];

    public function add(Change $change, SourceCommit $commit): void
    {
        $this->entries[] = [$change, $commit];
    }

    public function changes(): int
    {
        return count($this->entries);
    }

    public function lines(): int
    {
        return count($this->entries);
    }

    /** @return list<array{Change, SourceCommit}> */
    public function entries(): array
    {
        return $this->entries;
    }

    public function keys(): iterable
    {
        return [];
    }

    public function clear(): void
    {
        $this->entries = [];
    }
}
