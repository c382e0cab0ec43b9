<?php

declare(strict_types=1);

namespace Lighterman\Core\Record;

use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Shape\Type;
use Lighterman\Core\Shape\TypeKind;

/** What a target can hold of the values of a table. Looking at a whole block costs little; only where something is suspected are its rows looked at. */
final readonly class Bounds
{
    /** Digits of a decimal that files of a lake hold exactly; those with more are kept there as text. */
    private const DIGITS = 38;

    private const ZERO_DATE = '/^(?:0000-|\d{4,6}-00|\d{4,6}-\d\d-00)/';

    /** A moment of a year with six digits, of which a few fit. */
    private const FAR = '/^(?:29[5-9]|[3-9]\d\d)\d{3}-|^2942[5-9]\d-|^29424[7-9]-|^294[3-9]\d\d-/';

    /**
     * @param  list<string>  $columns
     * @param  list<int>  $dates  places of columns with dates
     * @param  list<int>  $moments  places of those that may be too far away
     * @param  list<int>  $decimals  places of those that have to be numbers
     * @param  array<int, self>  $lists  what their elements may be, by place
     * @param  array<int, int>  $bytes  places of columns of bytes, which are written as two digits each, with how long those may be
     */
    private function __construct(private array $columns, private array $dates, private array $moments, private array $decimals, private array $lists, private array $bytes, private int $longest)
    {
    }

    /**
     * @param  bool  $files  whether the target keeps files, which hold less than a database does
     * @param  int  $longest  bytes that a value may have
     * @param  list<string>|null  $landing  columns whose values land as they are read; null for all. Of others only what no record can be read with is looked at.
     */
    public static function of(Shape $shape, bool $files, int $longest, ?array $landing = null): self
    {
        $where = static fn (callable $is): array => array_keys(array_filter($shape->columns, static fn (Column $c): bool => ($landing === null || in_array($c->name, $landing, true)) && $is($c)));
        $moment = static fn (Column $c): bool => in_array($c->type->kind, [TypeKind::Timestamp, TypeKind::TimestampTz], true);

        $lists = $files ? $where(static fn (Column $c): bool => $c->type->kind === TypeKind::List) : [];

        return new self(
            $shape->names(),
            $where(static fn (Column $c): bool => $c->type->kind === TypeKind::Date || $moment($c)),
            $files ? $where($moment) : [],
            $files ? $where(static fn (Column $c): bool => $c->type->kind === TypeKind::Decimal && $c->type->precision !== null && $c->type->precision <= self::DIGITS) : [],
            array_map(static fn (int $at): self => self::of(new Shape([new Column($shape->columns[$at]->name, $shape->columns[$at]->type->element ?? Type::of(TypeKind::Text))]), true, $longest), array_combine($lists, $lists)),
            array_fill_keys($where(static fn (Column $c): bool => $c->type->kind === TypeKind::Bytes), 2 * $longest + strlen('\x')),
            $longest,
        );
    }

    /** Whether a value among lines whose values are parted by tabs may be one that cannot be written. */
    public function suspects(string $encoded): bool
    {
        return str_contains($encoded, "\0")
            || strlen($encoded) > $this->longest
            || str_contains($encoded, Unwritable::NOT_KEPT)
            || ($this->dates !== [] && (str_contains($encoded, '-00') || str_contains($encoded, '0000-')) && preg_match('/(?:^|\t)(?:0000-|\d{4,6}-00|\d{4,6}-\d\d-00)/m', $encoded))
            || ($this->moments !== [] && preg_match('/(?:^|\t)\d{6}-\d\d-/m', $encoded))
            || ($this->lists !== [] && preg_match('/\{\{|\]=\{|[{,"]\d{6}-\d\d-|NaN|Infinity/', $encoded))
            || ($this->decimals !== [] && (str_contains($encoded, 'NaN') || str_contains($encoded, 'Infinity')));
    }

    /**
     * Called for every change, so the values are looked at one by one only where all of them together are suspected.
     *
     * @param  list<string|false|null>  $row  in the order of the shape's columns
     */
    public function fault(array $row): ?Unwritable
    {
        if (! $this->suspects(implode("\t", $row))) {
            return null;
        }
        foreach ($row as $i => $value) {
            $value = (string) $value;
            if (str_contains($value, "\0")) {
                return Unwritable::zeroByte($this->columns[$i]);
            }
            if (strlen($value) > ($this->bytes[$i] ?? $this->longest) || $value === Unwritable::NOT_KEPT) {
                return Unwritable::tooLong($this->columns[$i], $this->longest);
            }
        }
        foreach ($this->dates as $i) {
            if (preg_match(self::ZERO_DATE, (string) ($row[$i] ?? ''))) {
                return Unwritable::noDate($this->columns[$i]);
            }
        }
        foreach ($this->moments as $i) {
            if (preg_match(self::FAR, (string) ($row[$i] ?? ''))) {
                return Unwritable::tooFar($this->columns[$i]);
            }
        }
        foreach ($this->decimals as $i) {
            if (preg_match('/NaN|Infinity/', (string) ($row[$i] ?? ''))) {
                return Unwritable::noNumber($this->columns[$i]);
            }
        }

        foreach ($this->lists as $i => $elements) {
            $list = (string) ($row[$i] ?? '');
            if (ListText::isMore($list)) {
                return Unwritable::noList($this->columns[$i]);
            }
            foreach (ListText::elements($list) ?? [] as $element) {
                if (($fault = $elements->fault([$element])) !== null) {
                    return $fault;
                }
            }
        }

        return null;
    }
}
