<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment\Step\Convert;

use Brick\Math\BigDecimal;
use Brick\Math\Exception\MathException;
use Brick\Math\RoundingMode;
use Lighterman\Core\Shape\Type;
use Lighterman\Core\Shape\TypeKind;
use Lighterman\Core\Treatment\Value\Fault;
use Lighterman\Core\Treatment\Value\Worker;

/** A whole or decimal number out of text. Decimals beyond the scale are rounded half away from zero; blank text is null. */
final readonly class ToNumber implements Worker
{
    private const RANGES = ['int16' => ['-32768', '32767'], 'int32' => ['-2147483648', '2147483647'], 'int64' => ['-9223372036854775808', '9223372036854775807']];

    private NumberForm $form;

    private int $scale;

    /** Numbers of fewer characters surely fit, and have no more digits than a double holds; 0 where that cannot be told. */
    private int $short;

    public function __construct(private Type $to, string $decimal, string $thousands, private bool $fromFlag)
    {
        $this->form = new NumberForm($decimal, $thousands);
        $this->scale = (int) $to->scale;
        $this->short = $to->kind === TypeKind::Decimal && $to->precision !== null && $decimal === '.' && $thousands === '' ? max(0, min(13, $to->precision - $this->scale, 15 - $this->scale)) : 0;
    }

    public function of(string $value): ?string
    {
        if ($this->fromFlag) {
            $value = $value === 't' ? '1' : '0';
        }
        // Short numbers are exact in a double, and most are short and plain.
        if ($this->short > 0 && strlen($value) < $this->short && strspn($value, '-0123456789.') === strlen($value) && is_numeric($value)) {
            $point = strpos($value, '.');
            $places = $point === false ? 0 : strlen($value) - $point - 1;
            if ($places <= $this->scale) {
                return $places === $this->scale && $point > 0 && ($value[0] !== '0' || $point === 1) && $value[0] !== '-' ? $value : number_format((float) $value, $this->scale, '.', '');
            }
        }
        $plain = $this->form->plain($value);
        if ($plain === '') {
            return null;
        }
        try {
            $number = strlen($plain) > 2000 || preg_match('/e[+-]?0*\d{4,}/i', $plain) ? throw Fault::because('out_of_range', 'the number has too many digits') : BigDecimal::of($plain);
        } catch (MathException) {
            throw Fault::because('not_a_number', 'the value is not a number');
        }
        if ($this->to->kind === TypeKind::Decimal) {
            return $this->decimal($number);
        }
        if ($number->hasNonZeroFractionalPart()) {
            throw Fault::because('not_whole', 'the value is not a whole number');
        }
        [$least, $most] = self::RANGES[$this->to->kind->value] ?? self::RANGES['int64'];

        return $number->isLessThan($least) || $number->isGreaterThan($most) ? throw Fault::because('out_of_range', "the value does not fit into {$this->to}") : (string) $number->toScale(0);
    }

    private function decimal(BigDecimal $number): string
    {
        if ($this->to->precision === null) {
            return (string) $number;
        }
        $number = $number->toScale((int) $this->to->scale, RoundingMode::HALF_UP);
        if (strlen(ltrim((string) $number->getUnscaledValue()->abs(), '0')) > $this->to->precision) {
            throw Fault::because('out_of_range', "the value does not fit into {$this->to}");
        }

        return (string) $number;
    }
}
