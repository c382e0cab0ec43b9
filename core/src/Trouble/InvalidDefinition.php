<?php

declare(strict_types=1);

namespace Lighterman\Core\Trouble;

use RuntimeException;

/** A definition that cannot be carried out, with the place in it and what to write instead. */
final class InvalidDefinition extends RuntimeException implements Explained
{
    private function __construct(string $message, public readonly string $place, private readonly string $remedy)
    {
        parent::__construct($message);
    }

    public static function at(string $place, string $what, string $remedy): self
    {
        return new self("{$place}: {$what}.", $place, $remedy);
    }

    /** @param  non-empty-list<array{string, string}>  $wrong  what is wrong, sentences, with what to do about each */
    public static function several(array $wrong): self
    {
        return count($wrong) === 1 ? new self($wrong[0][0], '', $wrong[0][1])
            : new self(count($wrong)." things are wrong, and nothing was made.\n".implode("\n", array_map(static fn (array $w): string => "- {$w[0]} {$w[1]}", $wrong)), '', 'Mend them, then load the file again.');
    }

    public function remedy(): Remedy
    {
        return new Remedy($this->remedy);
    }

    public function mayPass(): bool
    {
        return false;
    }
}
