<?php

declare(strict_types=1);

namespace Lighterman\Core\Carrying;

use Lighterman\Core\Treatment\Treated;

/** Counts the records of one feed that satisfy its watch rules. */
interface Watched
{
    public function add(int $landed, Treated $treated): void;

    /** What was counted has landed. */
    public function flush(): void;

    /** What was counted did not land. */
    public function forget(): void;
}
