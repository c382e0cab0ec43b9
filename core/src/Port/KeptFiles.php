<?php

declare(strict_types=1);

namespace Lighterman\Core\Port;

/** The files that a landed table consists of, as the target's catalogue counts them. */
final readonly class KeptFiles
{
    /**
     * @param  string  $place  where they lie
     * @param  array<string, array{files: int, rows: int, bytes: int}>  $partitions  by the folder, such as `arrived_at_month=2026-11`; one with an empty name where there are none
     * @param  int  $small  files that are small and not alone in their partition, so that they can be joined
     */
    public function __construct(public string $place, public int $files, public int $rows, public int $bytes, public array $partitions, public int $small)
    {
    }
}
