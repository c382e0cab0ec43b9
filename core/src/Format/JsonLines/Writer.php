<?php

declare(strict_types=1);

namespace Lighterman\Core\Format\JsonLines;

use Lighterman\Core\Format\RowWriter;
use Lighterman\Core\Format\UnfitValue;
use Lighterman\Core\Record\ListText;
use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Shape\Type;
use Lighterman\Core\Shape\TypeKind;

/**
 * Writes rows as JSON Lines. Numbers are written as they are where JSON has them, to the last digit; what JSON has no number
 * for is text.
 *
 * @see https://jsonlines.org
 */
final readonly class Writer implements RowWriter
{
    /** @var list<string> */
    private array $names;

    /** @var list<Type> */
    private array $types;

    public function __construct(Shape $shape)
    {
        $this->names = array_map(self::text(...), $shape->names());
        $this->types = array_map(static fn (Column $c): Type => $c->type, $shape->columns);
    }

    public function begin(): string
    {
        return '';
    }

    public function end(): string
    {
        return '';
    }

    public function row(array $row): string
    {
        $fields = [];
        foreach ($row as $i => $value) {
            $fields[] = "{$this->names[$i]}:".($value === null ? 'null' : self::value($value, $this->types[$i]));
        }

        return '{'.implode(',', $fields)."}\n";
    }

    private static function value(string $value, Type $type): string
    {
        $kind = $type->kind;

        return match (true) {
            $kind === TypeKind::List => self::list($value, $type->element ?? Type::of(TypeKind::Text)),
            $kind === TypeKind::Boolean => in_array($value, ['t', 'true', '1'], true) ? 'true' : 'false',
            $kind->isInteger(), $type->isObjectNumber(), in_array($kind, [TypeKind::Decimal, TypeKind::Float32, TypeKind::Float64], true) => preg_match('/^-?(0|[1-9]\d*)(\.\d+)?([eE][+-]?\d+)?$/', $value) ? $value : self::text($value),
            // A line break between the parts of nested values would end the line.
            $kind === TypeKind::Json, $kind === TypeKind::JsonBinary => str_replace(["\r", "\n"], ' ', $value),
            default => self::text($value),
        };
    }

    /** Readers take fractions within a list for doubles, so decimals are text there, to the last digit. */
    private static function list(string $array, Type $of): string
    {
        $of = $of->kind === TypeKind::Decimal ? Type::of(TypeKind::Text) : $of;

        return '['.implode(',', array_map(static fn (?string $e): string => $e === null ? 'null' : self::value($e, $of), ListText::elements($array) ?? throw UnfitValue::of($array, 'a list'))).']';
    }

    private static function text(string $text): string
    {
        return json_encode($text, JSON_THROW_ON_ERROR | JSON_UNESCAPED_UNICODE | JSON_UNESCAPED_SLASHES | JSON_INVALID_UTF8_SUBSTITUTE);
    }
}
