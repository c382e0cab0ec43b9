<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment\Expression;

use Lighterman\Core\Shape\Type;

/** A part of an expression as PHP that computes it: text forms as strings, true and false as booleans, inexact numbers as floats. */
final readonly class Piece
{
    public function __construct(public string $php, public Kind $kind)
    {
    }

    /** What a variable holding a value's text form gives. */
    public static function held(string $variable, Type $type): self
    {
        $kind = Kind::of($type);

        return new self(match ($kind) {
            Kind::Flag => "({$variable} === null ? null : {$variable} === 't')",
            Kind::Real => "Real::of({$variable})",
            default => $variable,
        }, $kind);
    }

    /** PHP that gives the text form. */
    public function text(): string
    {
        return match ($this->kind) {
            Kind::Flag => "Real::flag({$this->php})",
            Kind::Real => "Real::text({$this->php})",
            default => $this->php,
        };
    }
}
