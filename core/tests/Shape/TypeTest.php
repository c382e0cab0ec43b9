<?php

declare(strict_types=1);

namespace Lighterman\Core\Tests\Shape;

use InvalidArgumentException;
use Lighterman\Core\Shape\Type;
use Lighterman\Core\Shape\TypeKind;
use PHPUnit\Framework\Attributes\DataProvider;
use PHPUnit\Framework\Attributes\Test;
use PHPUnit\Framework\TestCase;

final class TypeTest extends TestCase
{
    /** @return iterable<string, array{Type, Type, bool}> */
    public static function pairs(): iterable
    {
        $is = Type::of(...);
        yield 'text holds varchar' => [$is(TypeKind::Text), Type::sized(TypeKind::Varchar, 80), true];
        yield 'varchar does not hold text' => [Type::sized(TypeKind::Varchar, 80), $is(TypeKind::Text), false];
        yield 'a longer varchar holds a shorter' => [Type::sized(TypeKind::Varchar, 80), Type::sized(TypeKind::Varchar, 79), true];
        yield 'a shorter varchar does not hold a longer' => [Type::sized(TypeKind::Varchar, 79), Type::sized(TypeKind::Varchar, 80), false];
        yield 'bigint holds integer' => [$is(TypeKind::Int64), $is(TypeKind::Int32), true];
        yield 'integer does not hold bigint' => [$is(TypeKind::Int32), $is(TypeKind::Int64), false];
        yield 'decimal(12,4) holds decimal(10,4)' => [Type::decimal(12, 4), Type::decimal(10, 4), true];
        yield 'decimal(12,4) does not hold decimal(12,2): fewer whole digits' => [Type::decimal(12, 4), Type::decimal(12, 2), false];
        yield 'decimal(12,4) does not hold decimal(12,5): fewer fractional digits' => [Type::decimal(12, 4), Type::decimal(12, 5), false];
        yield 'an unbounded decimal holds any' => [Type::decimal(null, null), Type::decimal(38, 10), true];
        yield 'a bounded decimal does not hold an unbounded one' => [Type::decimal(38, 10), Type::decimal(null, null), false];
        yield 'decimal(5,0) holds smallint' => [Type::decimal(5, 0), $is(TypeKind::Int16), true];
        yield 'decimal(4,0) does not' => [Type::decimal(4, 0), $is(TypeKind::Int16), false];
        yield 'double does not hold bigint, which has more digits' => [$is(TypeKind::Float64), $is(TypeKind::Int64), false];
        yield 'a list holds a list of what its element holds' => [Type::listOf($is(TypeKind::Int64)), Type::listOf($is(TypeKind::Int16)), true];
        yield 'a timestamp with a zone does not hold one without' => [$is(TypeKind::TimestampTz), $is(TypeKind::Timestamp), false];
        yield 'fewer digits of a second do not hold more' => [Type::sized(TypeKind::Timestamp, 3), $is(TypeKind::Timestamp), false];
        yield 'varchar(7) holds an enum of short labels' => [Type::sized(TypeKind::Varchar, 7), Type::enumeration('status', ['arrived', 'new']), true];
        yield 'varchar(6) does not' => [Type::sized(TypeKind::Varchar, 6), Type::enumeration('status', ['arrived', 'new']), false];
        yield 'text does not hold a number' => [$is(TypeKind::Text), $is(TypeKind::Int32), false];
    }

    #[Test]
    #[DataProvider('pairs')]
    public function one_type_holds_another(Type $wide, Type $narrow, bool $holds): void
    {
        self::assertSame($holds, $wide->holds($narrow));
    }

    #[Test]
    public function holding_is_reflexive_and_transitive(): void
    {
        $types = [];
        foreach (self::pairs() as [$a, $b]) {
            array_push($types, $a, $b);
        }
        foreach ($types as $a) {
            self::assertTrue($a->holds($a), (string) $a);
            foreach ($types as $b) {
                foreach ($types as $c) {
                    if ($a->holds($b) && $b->holds($c)) {
                        self::assertTrue($a->holds($c), "{$a} holds {$b} holds {$c}");
                    }
                }
            }
        }
    }

    #[Test]
    public function a_type_survives_json(): void
    {
        foreach (self::pairs() as [$a, $b]) {
            foreach ([$a, $b] as $type) {
                self::assertTrue(Type::fromArray(json_decode((string) json_encode($type->toArray()), true))->equals($type));
            }
        }
    }

    #[Test]
    public function an_unknown_kind_is_refused_by_name(): void
    {
        $this->expectException(InvalidArgumentException::class);
        $this->expectExceptionMessage('"quaternion"');
        Type::fromArray(['kind' => 'quaternion']);
    }

    #[Test]
    public function a_list_of_what_cannot_be_carried_cannot_be_carried(): void
    {
        self::assertSame(TypeKind::Unmappable, Type::listOf(Type::unmappable('geometry'))->kind);
    }
}
