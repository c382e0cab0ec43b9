<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment;

use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\TypeKind;
use Lighterman\Core\Treatment\Step\Mask;

/** Finds columns that look personal, by what their values are and, where that leaves it open, by their names. */
final class PersonalData
{
    /** Values that are looked at; more would not tell more. */
    private const LOOKED_AT = 20;

    /** Share of the values that have to look so. */
    private const SHARE = 0.6;

    private const NAMES = '/(^|_)(first|last|given|family|full|sur)?_?name$|contact|holder|owner_name|person/i';

    private const NOT_PERSONS = '/file|host|table|schema|variet|product|company|place|town|street|orchard|column|type|system/i';

    /**
     * @param  list<string|null>  $values  some of the column
     * @param  string  $table  whose column it is, since what is called a name is a person's only in some tables
     * @return array{what: string, mask: Mask}|null what it looks like, and the mask that would suit it
     */
    public static function find(Column $column, array $values, string $table): ?array
    {
        $values = array_slice(array_values(array_filter($values, static fn (?string $v): bool => $v !== null && trim($v) !== '')), 0, self::LOOKED_AT);
        if ($values === []) {
            return null;
        }
        $share = static fn (callable $is): bool => count(array_filter($values, $is)) >= self::SHARE * count($values);
        if ($column->type->kind === TypeKind::Date || $column->type->kind->isMoment()) {
            return preg_match('/birth|born|(^|_)dob($|_)/i', $column->name) ? ['what' => 'birth date', 'mask' => new Mask('year')] : null;
        }
        if (! $column->type->kind->isText() && ! $column->type->kind->isInteger()) {
            return null;
        }

        $all = implode("\n", $values);
        $named = $column->type->kind->isText() && preg_match(self::NAMES, $column->name) && ! preg_match(self::NOT_PERSONS, $column->name.' '.$table);
        if (! $named && ! str_contains($all, '@') && ! preg_match('/\d[^\n]{0,3}\d[^\n]{0,3}\d[^\n]{0,3}\d[^\n]{0,3}\d[^\n]{0,3}\d/', $all)) {
            return null;
        }

        return match (true) {
            $share(static fn (string $v): bool => (bool) preg_match('/^[^@\s]+@[^@\s]+\.[a-z]{2,}$/i', $v)) => ['what' => 'mail address', 'mask' => new Mask('keyed_hash')],
            $share(self::isAccount(...)) || ($share(self::isAccountShaped(...)) && preg_match('/bank|iban|account/i', $column->name)) => ['what' => 'bank account', 'mask' => new Mask('keyed_hash')],
            $share(self::isCard(...)) => ['what' => 'card number', 'mask' => new Mask('keep_last', keep: 4)],
            $column->type->kind->isText() && $share(static fn (string $v): bool => (bool) preg_match('/^(?=(?:\D*\d){8,15}\D*$)[+(]?\d[\d\s()\/.-]+$/', $v)) && (preg_match('/phone|tel|mobile|fax|cell/i', $column->name) || $share(static fn (string $v): bool => (bool) preg_match('/^(\+|0|\()[\d\s()\/-]*[\s()\/-][\d\s()\/-]*$/', $v))) => ['what' => 'phone number', 'mask' => new Mask('keep_last', keep: 3)],
            $named && $share(static fn (string $v): bool => (bool) preg_match('/^\p{Lu}[\p{L}\'’.-]*(\s+(\p{Lu}|de|van|von|of)[\p{L}\'’.-]*)+$/u', $v)) => ['what' => 'person\'s name', 'mask' => new Mask('keep_shape')],
            default => null,
        };
    }

    /**
     * An international bank account number whose check digits are right.
     *
     * @see https://www.iso.org/standard/81090.html ISO 13616-1, check digits by ISO/IEC 7064 MOD 97-10
     */
    private static function isAccount(string $value): bool
    {
        $account = strtoupper(str_replace([' ', '-'], '', $value));
        if (! preg_match('/^[A-Z]{2}\d{2}[A-Z0-9]{11,30}$/', $account)) {
            return false;
        }
        $rest = 0;
        foreach (str_split(substr($account, 4).substr($account, 0, 4)) as $c) {
            $digit = ctype_digit($c) ? (int) $c : ord($c) - 55;
            $rest = ($rest * ($digit > 9 ? 100 : 10) + $digit) % 97;
        }

        return $rest === 1;
    }

    private static function isAccountShaped(string $value): bool
    {
        return (bool) preg_match('/^[A-Z]{2}\d{2}[A-Z0-9]{8,30}$/', strtoupper(str_replace([' ', '-'], '', $value)));
    }

    /**
     * A payment card's number by its length and check digit.
     *
     * @see https://www.iso.org/standard/70484.html ISO/IEC 7812-1, annex B
     */
    private static function isCard(string $value): bool
    {
        $digits = str_replace([' ', '-'], '', $value);
        if (! preg_match('/^[2-6]\d{12,18}$/', $digits)) {
            return false;
        }
        $sum = 0;
        foreach (array_reverse(str_split($digits)) as $i => $d) {
            $n = (int) $d * ($i % 2 + 1);
            $sum += $n > 9 ? $n - 9 : $n;
        }

        return $sum % 10 === 0;
    }
}
