<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Lake;

use Lighterman\Core\Landing\LandedTable;
use Lighterman\Core\Record\Counts;

/** What one feed lands, on its way into files. */
interface FeedFiles
{
    public function landed(): LandedTable;

    /** Whether anything of it has come since the delivery began. */
    public function hasAny(): bool;

    /** @return array{array<string, LandedFiles>, Counts, int} its tables as they are now, by name; what became of what came; how much that was */
    public function finish(): array;

    /**
     * Joins all small files, outside a delivery.
     *
     * @param  string  $prefix  of names of files, which nothing else has
     * @return array<string, LandedFiles> by name; the same objects where there was nothing to join
     */
    public function joined(Page $was, string $prefix): array;

    /**
     * Gives files their fixed names.
     *
     * @param  array<string, LandedFiles>  $now
     * @param  array<string, LandedFiles>  $before  the same objects where it is not known what was done; then all is done again
     */
    public function name(array $now, array $before): void;

    /**
     * Whoever takes the files makes them count, or takes them away.
     *
     * @return array<string, true> names of all files made since the delivery began
     */
    public function handOver(): array;

    /** Forgets the delivery under way, with the files made for it. */
    public function clear(): void;
}
