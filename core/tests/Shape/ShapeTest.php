<?php

declare(strict_types=1);

namespace Lighterman\Core\Tests\Shape;

use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Shape\Type;
use Lighterman\Core\Shape\TypeKind;
use PHPUnit\Framework\Attributes\Test;
use PHPUnit\Framework\TestCase;

final class ShapeTest extends TestCase
{
    private static function shape(array $types, array $key = ['id']): Shape
    {
        return new Shape(array_map(static fn (string $n, TypeKind $k): Column => new Column($n, Type::of($k)), array_keys($types), $types), $key);
    }

    #[Test]
    public function every_kind_of_difference_is_said(): void
    {
        $before = self::shape(['id' => TypeKind::Int32, 'kg' => TypeKind::Int32, 'note' => TypeKind::Text]);
        $after = self::shape(['id' => TypeKind::Int32, 'kg' => TypeKind::Int64, 'moisture' => TypeKind::Float32], ['id', 'kg']);

        self::assertSame([
            'Column moisture (float32) is new.',
            'Column note is gone.',
            'Column kg was int32 and is now int64.',
            'The key was id and is now id, kg.',
        ], $before->difference($after)->sentences());
    }

    #[Test]
    public function a_shape_does_not_differ_from_itself_nor_by_order_or_comment(): void
    {
        $shape = self::shape(['id' => TypeKind::Int32, 'kg' => TypeKind::Int32]);
        $turned = new Shape([new Column('kg', Type::of(TypeKind::Int32), comment: 'gross'), new Column('id', Type::of(TypeKind::Int32))], ['id']);

        self::assertTrue($shape->difference($shape)->isEmpty());
        self::assertTrue($shape->difference($turned)->isEmpty());
    }

    #[Test]
    public function a_shape_survives_json_and_leaves_columns_out(): void
    {
        $shape = self::shape(['id' => TypeKind::Int32, 'kg' => TypeKind::Int32, 'note' => TypeKind::Text]);
        $again = Shape::fromArray(json_decode((string) json_encode($shape->toArray()), true));

        self::assertEquals($shape, $again);
        self::assertSame(['id', 'note'], $again->without(['kg'])->names());
        self::assertNull($again->column('absent'));
    }
}
