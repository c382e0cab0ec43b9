<?php

declare(strict_types=1);

namespace Lighterman\Core\Format\JsonLines;

use Lighterman\Core\Format\RowWriter;
use Lighterman\Core\Shape\Shape;
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

    /** @var list<TypeKind> */
    private array $kinds;

    public function __construct(Shape $shape)
    {
        $this->names = array_map(self::text(...), $shape->names());
        $this->kinds = array_map(static fn ($c): TypeKind => $c->type->kind, $shape->columns);
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
            $fields[] = "{$this->names[$i]}:".($value === null ? 'null' : self::value($value, $this->kinds[$i]));
        }

        return '{'.implode(',', $fields)."}\n";
    }

    private static function value(string $value, TypeKind $kind): string
    {
        return match (true) {
            $kind === TypeKind::Boolean => in_array($value, ['t', 'true', '1'], true) ? 'true' : 'false',
            $kind->isInteger(), in_array($kind, [TypeKind::Decimal, TypeKind::Float32, TypeKind::Float64], true) => preg_match('/^-?(0|[1-9]\d*)(\.\d+)?([eE][+-]?\d+)?$/', $value) ? $value : self::text($value),
            // A line break between the parts of nested values would end the line.
            $kind === TypeKind::Json, $kind === TypeKind::JsonBinary => str_replace(["\r", "\n"], ' ', $value),
            default => self::text($value),
        };
    }

    private static function text(string $text): string
    {
        return json_encode($text, JSON_THROW_ON_ERROR | JSON_UNESCAPED_UNICODE | JSON_UNESCAPED_SLASHES | JSON_INVALID_UTF8_SUBSTITUTE);
    }
}
