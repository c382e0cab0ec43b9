<?php

declare(strict_types=1);

namespace Lighterman\Core\Landing;

use InvalidArgumentException;
use Lighterman\Core\Shape\Type;
use Lighterman\Core\Shape\TypeKind;

/** What parts the files of a landed table into folders `name=value`: the values of a column, or a part of its dates. */
final readonly class Partition
{
    public const PARTS = ['year', 'month', 'day'];

    /** @param  'year'|'month'|'day'|null  $part  null for the value itself */
    private function __construct(public string $column, public ?string $part)
    {
    }

    /**
     * Reads `column`, `year(column)`, `month(column)` or `day(column)`.
     *
     * @throws InvalidArgumentException
     */
    public static function parse(string $said): self
    {
        $said = trim($said);
        if (preg_match('/^(year|month|day)\s*\(\s*(.+?)\s*\)$/', $said, $m)) {
            /** @var 'year'|'month'|'day' $part */
            $part = $m[1];

            return new self($m[2], $part);
        }
        if ($said === '' || str_contains($said, '(')) {
            throw new InvalidArgumentException("\"{$said}\" does not name a partition: give a column, or year, month or day of one, such as month(arrived_at)");
        }

        return new self($said, null);
    }

    /**
     * @param  list<string>  $said
     * @return list<self>
     *
     * @throws InvalidArgumentException
     */
    public static function all(array $said): array
    {
        return array_map(self::parse(...), $said);
    }

    /** The name that its folders begin with. */
    public function name(): string
    {
        return $this->part === null ? $this->column : "{$this->column}_{$this->part}";
    }

    /** Whether values of a type can be parted so. */
    public function fits(Type $type): bool
    {
        return $this->part === null
            ? ! in_array($type->kind, [TypeKind::Bytes, TypeKind::Json, TypeKind::JsonBinary, TypeKind::List], true)
            : in_array($type->kind, [TypeKind::Date, TypeKind::Timestamp, TypeKind::TimestampTz], true);
    }

    public function __toString(): string
    {
        return $this->part === null ? $this->column : "{$this->part}({$this->column})";
    }
}
