<?php

declare(strict_types=1);

namespace Lighterman\Core\Carrying;

/** The changes of the transaction being read that one feed has spooled, in parts that are cut the same way every time it is read. */
final class SpoolParts
{
    public const SIZE = 1000;

    /** @var list<SpooledChange> */
    private array $changes = [];

    private int $parts = 0;

    /** @return array{int, list<SpooledChange>}|null a part that is full, with its number */
    public function add(SpooledChange $change): ?array
    {
        $this->changes[] = $change;

        return count($this->changes) >= self::SIZE ? $this->cut() : null;
    }

    /** @return array{int, list<SpooledChange>}|null the last part of the transaction, with its number */
    public function end(): ?array
    {
        $last = $this->changes === [] ? null : $this->cut();
        $this->parts = 0;

        return $last;
    }

    /** @return array{int, list<SpooledChange>} */
    private function cut(): array
    {
        [$part, $this->changes] = [[$this->parts++, $this->changes], []];

        return $part;
    }
}
