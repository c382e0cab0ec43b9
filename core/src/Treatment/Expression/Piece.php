<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment\Expression;

use Lighterman\Core\Shape\Type;
use Lighterman\Core\Shape\TypeKind;

/** A part of an expression as PHP that computes it: text forms as strings, true and false as booleans, inexact numbers as floats. */
final readonly class Piece
{
    /** Digits up to which a sum of doubles, rounded, is the sum of the decimals. */
    public const SHORT = 14;

    /**
     * @param  int|null  $scale  digits after the point that a number has in its text form, where that is known and it is short enough for a double
     * @param  int  $digits  digits it has in all, where its scale is known
     */
    public function __construct(public string $php, public Kind $kind, public ?int $scale = null, public int $digits = 0)
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
        }, $kind, $type->kind === TypeKind::Decimal && (int) $type->scale > 0 && $type->precision <= self::SHORT ? $type->scale : null, (int) $type->precision);
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
