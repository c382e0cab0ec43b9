<?php

declare(strict_types=1);

namespace Lighterman\Core\Port;

/** Where on this machine systems may lie. */
final readonly class Folders
{
    /**
     * @param  list<string>  $allowed  absolute folders; only what lies in one of them, links followed, is used
     * @param  list<string>  $never  absolute files and folders that hold this installation's own state, and are in none of them
     */
    public function __construct(public array $allowed, public array $never)
    {
    }
}
