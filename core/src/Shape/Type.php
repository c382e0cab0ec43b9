<?php

declare(strict_types=1);

namespace Lighterman\Core\Shape;

use InvalidArgumentException;

/** The type of a column: its kind with whatever length, precision, element or labels belong to it. */
final readonly class Type
{
    /**
     * @param  int|null  $length  characters for varchar and char, fractional digits of a second for times
     * @param  int|null  $precision  decimal digits in all, for decimal
     * @param  int|null  $scale  decimal digits after the point, for decimal
     * @param  string|null  $name  the source's own name, for native, enumerated and unmappable types
     * @param  list<string>  $labels  the values of an enumerated type, in order
     */
    private function __construct(
        public TypeKind $kind,
        public ?int $length = null,
        public ?int $precision = null,
        public ?int $scale = null,
        public ?string $name = null,
        public ?Type $element = null,
        public array $labels = [],
    ) {
    }

    public static function of(TypeKind $kind): self
    {
        return new self($kind);
    }

    public static function sized(TypeKind $kind, ?int $length): self
    {
        return new self($kind, length: $length);
    }

    public static function decimal(?int $precision, ?int $scale): self
    {
        return new self(TypeKind::Decimal, precision: $precision, scale: $scale);
    }

    public static function native(string $name): self
    {
        return new self(TypeKind::Native, name: $name);
    }

    public static function unmappable(string $name): self
    {
        return new self(TypeKind::Unmappable, name: $name);
    }

    /** @param  list<string>  $labels */
    public static function enumeration(string $name, array $labels): self
    {
        return new self(TypeKind::Enumeration, name: $name, labels: $labels);
    }

    /**
     * A type as people write it, and as __toString() gives it: `varchar(80)`, `decimal(9,2)`, `timestamptz`.
     *
     * @throws InvalidArgumentException if it is none of those that can be written so
     */
    public static function parse(string $text): self
    {
        preg_match('/^\s*([a-z0-9]+)\s*(?:\(\s*(\d{1,4})\s*(?:,\s*(\d{1,3})\s*)?\))?\s*$/i', $text, $m);
        $kind = TypeKind::tryFrom(strtolower($m[1] ?? ''));
        if ($kind === null || ! in_array($kind, self::writable(), true)) {
            throw new InvalidArgumentException("\"{$text}\" is not a type; types are ".implode(', ', array_map(static fn (TypeKind $k): string => $k->value, self::writable())).', with length or precision in brackets');
        }
        $size = isset($m[2]) ? (int) $m[2] : null;
        if ($kind === TypeKind::Decimal) {
            $scale = $size === null ? null : (int) ($m[3] ?? 0);
            if ($size !== null && ($size < 1 || $scale > $size)) {
                throw new InvalidArgumentException("\"{$text}\" is not a type: a decimal has at least one digit, and no more after the point than in all");
            }

            return self::decimal($size, $scale);
        }
        $most = match ($kind) {
            TypeKind::Varchar, TypeKind::Char => 9999, TypeKind::Time, TypeKind::TimeTz, TypeKind::Timestamp, TypeKind::TimestampTz => 6, default => null,
        };
        if (isset($m[3]) || ($size !== null && ($most === null || $size > $most || ($size < 1 && $most > 6)))) {
            throw new InvalidArgumentException("\"{$text}\" is not a type: {$kind->value} ".($most === null ? 'takes nothing in brackets' : "takes a length of at most {$most}"));
        }

        return self::sized($kind, $size);
    }

    /** @return list<TypeKind> kinds that a column can be converted to */
    public static function writable(): array
    {
        return [TypeKind::Boolean, TypeKind::Int16, TypeKind::Int32, TypeKind::Int64, TypeKind::Decimal, TypeKind::Float32, TypeKind::Float64, TypeKind::Text, TypeKind::Varchar, TypeKind::Char, TypeKind::Date, TypeKind::Time, TypeKind::Timestamp, TypeKind::TimestampTz, TypeKind::Uuid, TypeKind::Json, TypeKind::JsonBinary, TypeKind::Bytes];
    }

    public static function listOf(self $element): self
    {
        return $element->kind === TypeKind::Unmappable ? $element : new self(TypeKind::List, element: $element);
    }

    /** Whether it is the number of an object of a PostgreSQL catalogue: 32 bits without a sign. */
    public function isObjectNumber(): bool
    {
        return $this->kind === TypeKind::Native && $this->name === 'oid';
    }

    public function equals(self $other): bool
    {
        return $this->toArray() === $other->toArray();
    }

    /** Whether every value of the other type fits this one unchanged. */
    public function holds(self $other): bool
    {
        if ($this->equals($other)) {
            return true;
        }
        if ($this->kind === TypeKind::List && $other->kind === TypeKind::List && $this->element && $other->element) {
            return $this->element->holds($other->element);
        }

        return match ($this->kind) {
            TypeKind::Text => $other->kind->isText(),
            TypeKind::Varchar, TypeKind::Char => $this->holdsText($other),
            TypeKind::Int64 => $other->kind->isInteger(),
            TypeKind::Int32 => $other->kind === TypeKind::Int16,
            TypeKind::Decimal => $this->holdsNumber($other),
            TypeKind::Float64 => in_array($other->kind, [TypeKind::Float32, TypeKind::Int16, TypeKind::Int32], true),
            TypeKind::Float32 => $other->kind === TypeKind::Int16,
            TypeKind::Time, TypeKind::TimeTz, TypeKind::Timestamp, TypeKind::TimestampTz => $this->kind === $other->kind
                && ($this->length ?? 6) >= ($other->length ?? 6),
            TypeKind::JsonBinary, TypeKind::Json => in_array($other->kind, [TypeKind::Json, TypeKind::JsonBinary], true),
            default => false,
        };
    }

    private function holdsText(self $other): bool
    {
        if ($other->kind === TypeKind::Enumeration) {
            return $this->length === null || $this->length >= max(array_map(mb_strlen(...), $other->labels ?: ['']));
        }

        return $this->kind === TypeKind::Varchar && in_array($other->kind, [TypeKind::Varchar, TypeKind::Char], true)
            && ($this->length === null || ($other->length !== null && $this->length >= $other->length));
    }

    private function holdsNumber(self $other): bool
    {
        $integerDigits = match ($other->kind) {
            TypeKind::Int16 => 5, TypeKind::Int32 => 10, TypeKind::Int64 => 19,
            TypeKind::Decimal => $other->precision === null ? PHP_INT_MAX : $other->precision - (int) $other->scale,
            default => null,
        };
        if ($integerDigits === null) {
            return false;
        }
        if ($this->precision === null) {
            return true;
        }

        return $this->precision - (int) $this->scale >= $integerDigits && (int) $this->scale >= (int) $other->scale;
    }

    public function __toString(): string
    {
        return match ($this->kind) {
            TypeKind::Decimal => $this->precision === null ? 'decimal' : "decimal({$this->precision},{$this->scale})",
            TypeKind::List => "list of {$this->element}",
            TypeKind::Native, TypeKind::Unmappable => (string) $this->name,
            TypeKind::Enumeration => "{$this->name} (enum)",
            default => $this->kind->value.($this->length === null ? '' : "({$this->length})"),
        };
    }

    /** @return array<string, mixed> only what is set, for JSON */
    public function toArray(): array
    {
        return array_filter([
            'kind' => $this->kind->value,
            'length' => $this->length,
            'precision' => $this->precision,
            'scale' => $this->scale,
            'name' => $this->name,
            'element' => $this->element?->toArray(),
            'labels' => $this->labels ?: null,
        ], static fn (mixed $v): bool => $v !== null);
    }

    /**
     * @param  array<string, mixed>  $data
     *
     * @throws InvalidArgumentException if the kind is unknown
     */
    public static function fromArray(array $data): self
    {
        $kind = TypeKind::tryFrom((string) ($data['kind'] ?? ''))
            ?? throw new InvalidArgumentException('Unknown type kind "'.($data['kind'] ?? '').'".');

        return new self(
            $kind,
            $data['length'] ?? null,
            $data['precision'] ?? null,
            $data['scale'] ?? null,
            $data['name'] ?? null,
            isset($data['element']) ? self::fromArray($data['element']) : null,
            $data['labels'] ?? [],
        );
    }
}
