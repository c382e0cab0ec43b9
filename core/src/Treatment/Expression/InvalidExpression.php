<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment\Expression;

use RuntimeException;

/** An expression that cannot be computed, with the place in it. */
final class InvalidExpression extends RuntimeException
{
    /** @param  int  $at  character, counted from 1 */
    private function __construct(string $message, public readonly int $at, public readonly string $expression)
    {
        parent::__construct($message);
    }

    public static function at(string $expression, int $at, string $message): self
    {
        return new self($message, max(1, min($at, mb_strlen($expression) + 1)), $expression);
    }

    /** The expression up to where it fails, for a message of one line. */
    public function where(): string
    {
        return "at character {$this->at}";
    }
}
