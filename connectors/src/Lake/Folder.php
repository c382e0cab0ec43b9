<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Lake;

use Closure;
use Lighterman\Core\Port\Finding;
use Lighterman\Core\Trouble\SystemTrouble;

/** Where the files of a lake lie. Names are relative to it. Every method may throw SystemTrouble. */
interface Folder
{
    /** @return list<Finding> whether it can be used */
    public function check(): array;

    public function exists(): bool;

    /** Whether files have to be fetched over a network to be read. */
    public function isFar(): bool;

    /** A name in full, for people. */
    public function where(string $name): string;

    /** @return string|null null if there is no such file */
    public function read(string $name): ?string;

    /**
     * Reads many small files.
     *
     * @param  list<string>  $names
     * @return array<string, string|null> by name; null where there is no such file
     */
    public function readAll(array $names): array;

    /**
     * Writes a file that must not be there yet, whole or not at all, and lasting before it has its name.
     *
     * @return bool false if a file of that name is there
     */
    public function create(string $name, string $contents): bool;

    /**
     * An absolute folder on this machine for files of a feed that are being made by the holder of a token. It is that holder's
     * alone, for an earlier one may not know yet that it is none any more; what earlier ones have left is cleared away.
     */
    public function workplace(string $feed, int $token): string;

    /** Clears away what is left in all workplaces of a feed. */
    public function leaveWorkplace(string $feed): void;

    /**
     * Gives a finished file of the workplace its place. What it holds lasts before it has its name.
     *
     * @param  (Closure(): void)|null  $alive  called in between where that takes long
     */
    public function place(string $finished, string $name, ?Closure $alive): void;

    /**
     * An absolute path on this machine under which a finished file can be read.
     *
     * @param  int|null  $bytes  that it was written with
     *
     * @throws SystemTrouble if it has others, or is gone
     */
    public function local(string $name, ?int $bytes = null): string;

    /** Puts what a file holds under a second name as well, at once for whoever reads that. */
    public function repeat(string $name, string $as): void;

    public function delete(string $name): void;

    /** @return list<string> names of all files below a folder; none if there is no such folder */
    public function files(string $below): array;

    /** @return list<string> names of the folders and files in a folder */
    public function entries(string $name): array;
}
