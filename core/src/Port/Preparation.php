<?php

declare(strict_types=1);

namespace Lighterman\Core\Port;

use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Trouble\LandedTrouble;

/** What must happen to the landed table before rows can be written, and what stands in the way. */
final readonly class Preparation
{
    /**
     * @param  bool  $exists  whether the landed table is there already
     * @param  list<string>  $statements  run in order before the first row; empty when all is in place
     * @param  list<Finding>  $findings  column by column; any `failed` one is an obstacle
     */
    public function __construct(public bool $exists, public array $statements, public array $findings)
    {
    }

    /**
     * What must happen to several tables that records of one feed land in.
     *
     * @param  array<array-key, self>  $of
     */
    public static function together(array $of): self
    {
        return count($of) === 1 ? array_values($of)[0] : new self(
            array_filter($of, static fn (self $p): bool => $p->exists) !== [],
            array_values(array_unique(array_merge(...array_values(array_map(static fn (self $p): array => $p->statements, $of))))),
            array_merge(...array_values(array_map(static fn (self $p): array => $p->findings, $of))),
        );
    }

    /**
     * @param  string|null  $system  null where what comes before the remedies names it
     * @param  string  $before  the remedies, up to a colon
     *
     * @throws LandedTrouble if something stands in the way, with all of it
     */
    public function demandClear(?string $system, TableName $table, string $before = ''): void
    {
        $obstacles = $this->obstacles();
        if ($obstacles !== []) {
            throw LandedTrouble::unfit($system, $table, array_map(static fn (Finding $f): string => $f->said, $obstacles), $before.implode(' ', array_unique(array_map(static fn (Finding $f): string => (string) $f->remedy, $obstacles))));
        }
    }

    /** @return list<Finding> */
    public function obstacles(): array
    {
        return array_values(array_filter($this->findings, static fn (Finding $f): bool => $f->result === 'failed'));
    }
}
