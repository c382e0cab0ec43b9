<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment;

use Lighterman\Core\Treatment\Expression\InvalidExpression;
use RuntimeException;

/** A treatment or check that cannot be carried out. */
final class InvalidTreatment extends RuntimeException
{
    /** @param  int|null  $at  character of the expression, counted from 1 */
    private function __construct(string $message, public readonly ?int $at = null)
    {
        parent::__construct($message);
    }

    public static function expression(InvalidExpression $e): self
    {
        return new self(rtrim($e->getMessage(), '.')." ({$e->where()}).", $e->at);
    }

    public static function of(string $message, ?int $at = null): self
    {
        return new self($message, $at);
    }
}
