<?php

declare(strict_types=1);

namespace Lighterman\Core\Trouble;

/** A system lies where none may. */
final class FolderTrouble extends SystemTrouble
{
    private function __construct(string $message, string $remedy, public readonly string $system, public readonly string $path)
    {
        parent::__construct(Reason::NotAllowed, $message, $remedy, true);
    }

    /** @param  list<string>  $allowed */
    public static function outside(string $system, string $path, string $lies, array $allowed): self
    {
        return new self("{$system}: {$path}".($lies === $path ? '' : " is a way to {$lies}, which").' lies in none of the folders that systems may lie in.', 'Those are '.implode(', ', $allowed).'. Put it there, or have whoever keeps this installation add its folder to LIGHTERMAN_FOLDERS.', $system, $path);
    }

    public static function own(string $system, string $path): self
    {
        return new self("{$system}: {$path} holds this installation's own state, or lies within it.", 'Choose a folder of its own.', $system, $path);
    }
}
