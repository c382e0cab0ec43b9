<?php

declare(strict_types=1);

namespace Lighterman\Core\Trouble;

/** An error that a person can act on. The message says what happened to what; the remedy says what to do. */
interface Explained extends \Throwable
{
    public function remedy(): Remedy;

    /** Whether the same thing may succeed if it is tried again later without anybody doing anything. */
    public function mayPass(): bool;
}
