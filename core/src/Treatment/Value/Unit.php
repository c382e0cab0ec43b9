<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment\Value;

use Brick\Math\BigDecimal;
use Brick\Math\RoundingMode;

/**
 * Units of measure with their exact factors.
 *
 * @see https://doi.org/10.6028/NIST.SP.811e2008 NIST Special Publication 811, Appendix B.8
 */
final class Unit
{
    private const FACTORS = [
        'mass' => ['mg' => '0.000001', 'g' => '0.001', 'kg' => '1', 't' => '1000', 'oz' => '0.028349523125', 'lb' => '0.45359237', 'cwt' => '50.80234544'],
        'length' => ['mm' => '0.001', 'cm' => '0.01', 'm' => '1', 'km' => '1000', 'in' => '0.0254', 'ft' => '0.3048', 'yd' => '0.9144', 'mi' => '1609.344'],
        'area' => ['m2' => '1', 'ha' => '10000', 'km2' => '1000000', 'acre' => '4046.8564224'],
        'volume' => ['ml' => '0.001', 'l' => '1', 'hl' => '100', 'm3' => '1000', 'gal_imp' => '4.54609', 'gal_us' => '3.785411784', 'pt_imp' => '0.56826125'],
        'time' => ['s' => '1', 'min' => '60', 'h' => '3600', 'day' => '86400'],
        'pressure' => ['Pa' => '1', 'kPa' => '1000', 'bar' => '100000', 'psi' => '6894.757293168'],
    ];

    /** @return list<string> */
    public static function known(): array
    {
        return [...array_merge(...array_map(array_keys(...), array_values(self::FACTORS))), 'C', 'F', 'K'];
    }

    /** Whether one can be turned into the other. */
    public static function agree(string $from, string $to): bool
    {
        return self::dimension($from) !== null && self::dimension($from) === self::dimension($to);
    }

    /** Rounded half up to twelve digits after the point; trailing zeros are removed. */
    public static function convert(?string $value, string $from, string $to): ?string
    {
        if ($value === null) {
            return null;
        }
        if (self::dimension($from) === 'temperature') {
            $result = BigDecimal::of((string) self::temperature($value, $from, $to));
        } else {
            $factors = self::FACTORS[self::dimension($from) ?? 'mass'];
            $result = BigDecimal::of((string) Number::of($value))->multipliedBy($factors[$from])->dividedBy($factors[$to], 12, RoundingMode::HALF_UP);
        }
        $result = $result->stripTrailingZeros();

        return (string) ($result->getScale() < 0 ? $result->toScale(0) : $result);
    }

    private static function temperature(string $value, string $from, string $to): ?string
    {
        $kelvin = match ($from) {
            'C' => Number::add($value, '273.15'),
            'F' => Number::divide(Number::multiply(Number::add($value, '459.67'), '5'), '9'),
            default => $value,
        };

        return match ($to) {
            'C' => Number::subtract($kelvin, '273.15'),
            'F' => Number::subtract(Number::divide(Number::multiply($kelvin, '9'), '5'), '459.67'),
            default => $kelvin,
        };
    }

    private static function dimension(string $unit): ?string
    {
        foreach (self::FACTORS as $dimension => $units) {
            if (isset($units[$unit])) {
                return $dimension;
            }
        }

        return in_array($unit, ['C', 'F', 'K'], true) ? 'temperature' : null;
    }
}
