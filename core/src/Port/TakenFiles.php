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

    /** @return array<string, true> paths of files that a person wants taken again */
    public function asked(): array;
}
