<?php

declare(strict_types=1);

namespace Lighterman\Core\Tests\Record;

use Lighterman\Core\Format\CopyText;
use Lighterman\Core\Record\Bounds;
use Lighterman\Core\Record\Unwritable;
use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Shape\Type;
use PHPUnit\Framework\Attributes\Test;
use PHPUnit\Framework\TestCase;

final class BoundsTest extends TestCase
{
    private static function shape(): Shape
    {
        return new Shape(array_map(static fn (string $name, string $type): Column => new Column($name, Type::parse($type)), ['id', 'note', 'on', 'at', 'price', 'any'], ['int32', 'text', 'date', 'timestamp', 'decimal(10,2)', 'decimal']));
    }

    #[Test]
    public function what_cannot_be_written_is_named_and_all_else_passes(): void
    {
        $good = ['1', 'NaN 0000-00-00 -00', '2024-02-29', '294246-12-31 23:59:59', '1.50', 'NaN'];
        $bad = [
            [1, "a\0b", 'zero_byte', 'zero_byte'], [1, str_repeat('x', 101), 'too_long', 'too_long'], [1, Unwritable::NOT_KEPT, 'too_long', 'too_long'],
            [2, '0000-00-00', 'no_date', 'no_date'], [2, '2024-00-10', 'no_date', 'no_date'], [2, '0000-05-05', 'no_date', 'no_date'], [2, '', null, null], [3, '2024-10-00 10:00:00', 'no_date', 'no_date'],
            [3, '294247-01-01 00:00:00', null, 'too_far'], [3, '294276-12-31 00:00:00', null, 'too_far'], [3, 'infinity', null, null], [2, '900000-01-01', null, null],
            [4, 'NaN', null, 'no_number'], [4, '-Infinity', null, 'no_number'], [1, null, null, null], [1, false, null, null],
        ];
        $plain = ['7', 'x', '2024-10-10', '2024-10-10 00:00:00', '1.50', '2'];
        foreach ([false, true] as $files) {
            $bounds = Bounds::of(self::shape(), $files, 100);
            self::assertNull($bounds->fault($good));
            foreach ($bad as [$at, $value, $database, $lake]) {
                $row = array_replace($good, [$at => $value]);
                self::assertSame($files ? $lake : $database, $bounds->fault($row)?->reason, var_export($value, true));
                if (is_string($value) && $bounds->fault($row) !== null) {
                    self::assertTrue($bounds->suspects(CopyText::line($plain).CopyText::line(array_replace($plain, [$at => $value]))), 'a block that holds one is suspected');
                }
            }
            self::assertFalse($bounds->suspects(CopyText::line($plain)));
        }
    }

    #[Test]
    public function lists_of_files_have_one_dimension_and_elements_that_fit(): void
    {
        $shape = new Shape([new Column('sums', Type::listOf(Type::decimal(10, 2))), new Column('at', Type::listOf(Type::parse('timestamp'))), new Column('words', Type::listOf(Type::parse('text')))]);
        $lake = Bounds::of($shape, true, 100);
        self::assertNull($lake->fault(['{1.50,NULL}', '{"294246-12-31 23:59:59",infinity}', '{"{{x",NaN,"294247-01-01 00:00:00"}']));
        foreach ([[0, '{{1,2},{3,4}}', 'no_list'], [0, '[2:3]={1,2}', 'no_list'], [0, '{1.50,NaN}', 'no_number'], [1, '{"294247-01-01 00:00:00"}', 'too_far'], [2, '{{a},{b}}', 'no_list']] as [$at, $value, $reason]) {
            $row = array_replace(['{}', '{}', '{}'], [$at => $value]);
            self::assertSame($reason, $lake->fault($row)?->reason, $value);
            self::assertTrue($lake->suspects(CopyText::line($row)), $value);
            self::assertNull(Bounds::of($shape, false, 100)->fault($row), 'a database holds it');
            self::assertNull(Bounds::of($shape, true, 100, [])->fault($row), 'what is converted on the way need not fit');
        }
    }

    #[Test]
    public function bytes_count_as_bytes_and_not_as_their_digits(): void
    {
        $bounds = Bounds::of(new Shape([new Column('label', Type::parse('bytes'))]), false, 100);
        self::assertNull($bounds->fault(['\\x'.str_repeat('00', 100)]));
        self::assertSame('too_long', $bounds->fault(['\\x'.str_repeat('00', 101)])?->reason);
    }

    #[Test]
    public function a_value_that_is_too_long_is_not_kept_with_its_record(): void
    {
        $row = ['1', str_repeat('x', 101), null, null, null, null];
        $fault = Bounds::of(self::shape(), false, 100)->fault($row);
        self::assertSame(['1', Unwritable::NOT_KEPT, null, null, null, null], $fault?->kept(self::shape()->names(), $row));
        self::assertStringNotContainsString('xx', $fault->message);
    }
}
