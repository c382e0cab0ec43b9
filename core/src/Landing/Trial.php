<?php

declare(strict_types=1);

namespace Lighterman\Core\Landing;

use Closure;
use Lighterman\Core\Record\Unwritable;
use Lighterman\Core\Trouble\SystemTrouble;

/** Finds out which records a target cannot take, by asking it about ever fewer of them. */
final readonly class Trial
{
    /** Of so many at once each is asked about by itself at most; where more are refused, it is not for what single records hold. */
    private const MOST = 1000;

    /** @param  Closure(LandedTable, string): ?SystemTrouble  $refuses  as TargetSystem::refuses() */
    public function __construct(private Closure $refuses)
    {
    }

    /**
     * @param  array<int, string>  $lines  in the text form of COPY, one or more for each record
     * @return array<int, Unwritable> why not, by record
     *
     * @throws SystemTrouble if it refuses very many
     */
    public function refused(LandedTable $table, array $lines): array
    {
        $found = [];
        $this->look($table, $lines, $found);

        return $found;
    }

    /**
     * @param  array<int, string>  $lines
     * @param  array<int, Unwritable>  $found
     */
    private function look(LandedTable $table, array $lines, array &$found): void
    {
        $trouble = $lines === [] ? null : ($this->refuses)($table, implode('', $lines));
        if ($trouble === null) {
            return;
        }
        if (count($lines) === 1) {
            $found[(int) array_key_first($lines)] = Unwritable::refused($trouble->getMessage());
            count($found) <= self::MOST || throw $trouble;

            return;
        }
        foreach (array_chunk($lines, max(1, intdiv(count($lines) + 1, 2)), true) as $half) {
            $this->look($table, $half, $found);
        }
    }
}
