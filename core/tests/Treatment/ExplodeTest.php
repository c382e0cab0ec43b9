<?php

declare(strict_types=1);

namespace Lighterman\Core\Tests\Treatment;

use Lighterman\Core\Format\CopyText;
use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Shape\Type;
use Lighterman\Core\Shape\TypeKind;
use Lighterman\Core\Treatment\Explode;
use Lighterman\Core\Treatment\InvalidTreatment;
use Lighterman\Core\Treatment\Reach;
use Lighterman\Core\Treatment\RowCompiler;
use Lighterman\Core\Treatment\Treater;
use Lighterman\Core\Treatment\Treatment;
use Lighterman\Core\Treatment\Value\Fault;
use PHPUnit\Framework\Attributes\DataProvider;
use PHPUnit\Framework\Attributes\Test;
use PHPUnit\Framework\TestCase;

final class ExplodeTest extends TestCase
{
    private static function shape(Type $type): Shape
    {
        return new Shape([new Column('id', Type::parse('int32'), false), new Column('list', $type), new Column('name', Type::parse('text'))], ['id']);
    }

    /** @return iterable<string, array{Type, string|null, list<string|null>}> */
    public static function lists(): iterable
    {
        $array = Type::listOf(Type::parse('text'));
        yield 'numbers' => [Type::listOf(Type::parse('int32')), '{1,2,NULL,-3}', ['1', '2', null, '-3']];
        yield 'quoted texts' => [$array, '{"a,b","c\\"d","e\\\\f","{g}","NULL",""}', ['a,b', 'c"d', 'e\\f', '{g}', 'NULL', '']];
        yield 'two dimensions' => [$array, '{{1,2},{3,4}}', ['{1,2}', '{3,4}']];
        yield 'bounds' => [$array, '[0:1]={a,b}', ['a', 'b']];
        yield 'no element' => [$array, '{}', []];
        yield 'no array' => [$array, null, []];
        yield 'JSON of all kinds' => [Type::parse('jsonb'), '[1, 2.50, "x", null, true, {"a": [1.0]}, [], 12345678901234567890]', ['1', '2.50', 'x', null, 't', '{"a": [1.0]}', '[]', '12345678901234567890']];
        yield 'JSON in text' => [Type::parse('text'), '["a"]', ['a']];
        yield 'JSON null' => [Type::parse('jsonb'), 'null', []];
        yield 'JSON without elements' => [Type::parse('jsonb'), '[]', []];
    }

    /** @param  list<string|null>  $elements */
    #[Test, DataProvider('lists')]
    public function each_element_becomes_a_record_with_its_place(Type $type, ?string $list, array $elements): void
    {
        $rows = (new Explode('list', 'no'))->rows(['7', $list, 'x'], self::shape($type));
        $wanted = array_map(static fn (?string $e, int $n): array => ['7', $e, 'x', (string) ($n + 1)], $elements, array_keys($elements));
        self::assertSame($wanted ?: [['7', null, 'x', '0']], $rows);
    }

    #[Test]
    public function columns_are_those_of_the_elements_and_one_more(): void
    {
        $told = static fn (Shape $s): array => array_map(static fn (Column $c): string => "{$c->name} {$c->type}", $s->columns);
        self::assertSame(['id int32', 'list int32', 'name text', 'no int32'], $told((new Explode('list', 'no'))->read(self::shape(Type::listOf(Type::of(TypeKind::Int32))))));
        self::assertSame(['id int32', 'list text', 'name text', 'no int32'], $told((new Explode('list', 'no'))->read(self::shape(Type::parse('jsonb')))));
        foreach ([[['none', 'no'], 'no column "none"'], [['list', 'name'], 'has a column "name" already'], [['id', 'no'], 'holds no list'], [['list', ''], 'another name'], [['list', 'list'], 'another name']] as [$names, $said]) {
            try {
                (new Explode(...$names))->read(self::shape(Type::parse('jsonb')));
                self::fail("not refused: {$said}");
            } catch (InvalidTreatment $e) {
                self::assertStringContainsString($said, $e->getMessage());
            }
        }
    }

    #[Test]
    public function what_is_no_list_and_a_list_without_end_fail(): void
    {
        foreach ([[Type::parse('jsonb'), '{"a": 1}', 'not_a_list'], [Type::parse('jsonb'), '[1', 'not_json'], [Type::listOf(Type::parse('text')), 'a,b', 'not_a_list'], [Type::parse('jsonb'), '['.implode(',', array_fill(0, 10_001, 0)).']', 'too_many'], [Type::parse('jsonb'), str_repeat('[', 1000).str_repeat(']', 1000), 'too_deep']] as [$type, $list, $reason]) {
            try {
                (new Explode('list', 'no'))->rows(['1', $list, 'x'], self::shape($type));
                self::fail("not refused: {$reason}");
            } catch (Fault $fault) {
                self::assertSame($reason, $fault->reason);
            }
        }
    }

    #[Test]
    public function elements_are_treated_and_checked_one_by_one_and_all_are_accounted_for(): void
    {
        $treatment = Treatment::fromArray(['explode' => ['column' => 'list', 'number' => 'no'], 'columns' => [['from' => 'list', 'as' => 'kg', 'steps' => [['pick' => 'kg'], ['convert' => 'int32']]], ['from' => 'name', 'steps' => [['mask' => 'null']]]], 'checks' => [['check' => 'required', 'columns' => ['kg'], 'else' => 'drop']], 'failing' => 'set_aside']);
        $treater = new Treater(new RowCompiler(self::shape(Type::parse('jsonb')), $treatment, new Reach(static fn (): string => '')), $treatment, []);
        $lines = implode('', array_map(CopyText::line(...), [['1', '[{"kg": 5}, {"kg": "x"}, {}]', 'Wen'], ['2', '[]', 'Bo'], ['3', '{"kg": 1}', 'Osric'], ['4', '[{"kg": 6}]', "tab\t"]]));
        $treated = $treater->block($lines);
        $landed = $treated->own();
        self::assertSame("1\t5\t\\N\t1\n4\t6\t\\N\t1\n", $landed);
        // A row whose list cannot be read is known before any element is looked at.
        self::assertSame(['not_a_list', 'not_a_number'], array_map(static fn ($a): string => $a->judging->failures[0]->reason, $treated->apart));
        self::assertSame([2, ['3', '{"kg": 1}', 'Osric', null]], [$treated->dropped, $treated->apart[0]->row]);
    }
}
