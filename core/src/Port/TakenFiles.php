<?php

declare(strict_types=1);

namespace Lighterman\Core\Port;

use Lighterman\Core\Position\FileMark;

/** The files that a feed has taken. */
interface TakenFiles
{
    /**
     * @param  list<string>  $paths
     * @return array<string, FileMark> as they were when they were taken, by path
     */
    public function known(array $paths): array;

    /**
     * Since when files have been as they are now, of those whose times say too little of it. What is new to the list is noted, and
     * what is not on it forgotten.
     *
     * @param  list<FileMark>  $recent
     * @param  string  $now  ISO 8601, UTC
     * @return array<string, string> ISO 8601, UTC, by path
     */
    public function steadySince(array $recent, string $now): array;

    /** The time by the one clock that all workers go by, ISO 8601, UTC. */
    public function now(): string;

    /** @return array<string, true> paths of files that a person wants taken again */
    public function asked(): array;
}
