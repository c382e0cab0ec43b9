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

    public function remedy(): string
    {
        return $this->remedy;
    }

    public function mayPass(): bool
    {
        return false;
    }
}
