<?php

declare(strict_types=1);

namespace Tests\App;

use App\Feeds\Flattening;
use App\Feeds\Renaming;
use App\Feeds\TypedRecords;
use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Shape\Type;
use Lighterman\Core\Treatment\InvalidTreatment;
use Lighterman\Core\Treatment\Line;
use PHPUnit\Framework\Attributes\DataProvider;
use PHPUnit\Framework\Attributes\Test;
use PHPUnit\Framework\TestCase;

/** What people type or paste on a feed's pages. */
final class TypedRecordsTest extends TestCase
{
    private static function shape(): Shape
    {
        return new Shape([new Column('id', Type::parse('int32')), new Column('name', Type::parse('text')), new Column('recipe', Type::parse('jsonb'))], ['id']);
    }

    /** @return iterable<string, array{string, list<list<string|null>>}> */
    public static function records(): iterable
    {
        yield 'one object' => ['{"id": 7, "name": "Wen", "recipe": {"a": [1, 2.5]}}', [['7', 'Wen', '{"a": [1, 2.5]}']]];
        yield 'numbers with all their digits' => ['{"id": 12.50, "name": 1e400, "recipe": {"b": {}, "a": 0.1234567890123456789012, "10": [], "9": 1.10}}', [['12.50', '1e400', '{"b": {}, "a": 0.1234567890123456789012, "10": [], "9": 1.10}']]];
        yield 'a list of objects' => [' [{"id": 7}, {"name": null}] ', [['7', null, null], [null, null, null]]];
        yield 'JSON Lines' => ["{\"id\": 7}\n\n{\"id\": true, \"name\": \"x\"}\r\n", [['7', null, null], ['t', 'x', null]]];
        yield 'an empty object' => ['{}', [[null, null, null]]];
        yield 'semicolons' => ["id;name\n7;\"a;b\"\n8;", [['7', 'a;b', null], ['8', null, null]]];
        yield 'tabs, with SQL\'s null' => ["name\tid\nWen\t7\n\\N\t8", [['7', 'Wen', null], ['8', null, null]]];
        yield 'a long number' => ['{"id": 12345678901234567890}', [['12345678901234567890', null, null]]];
        yield 'nothing' => ["  \n ", []];
    }

    /** @param  list<list<string|null>>  $wanted */
    #[Test, DataProvider('records')]
    public function records_are_read_as_they_are_typed(string $typed, array $wanted): void
    {
        self::assertSame($wanted, TypedRecords::parse($typed, self::shape()));
    }

    /** @return iterable<string, array{string, string}> */
    public static function mistakes(): iterable
    {
        yield 'a column that is not there' => ['[{"id": 1}, {"acres": 2}]', 'Record 2: the source has no column "acres". It has id, name, recipe.'];
        yield 'JSON with a mistake' => ["{\"id\": 1}\n{\"id\": }", 'Line 2 is not JSON'];
        yield 'no object' => ['[1, 2]', 'Record 1 is not an object'];
        yield 'a line that is too short' => ["id,name\n7", 'Line 2 has 1 values, but the head names 2 columns.'];
        yield 'only a head' => ['id,name', 'Only a head is there'];
        yield 'not UTF-8' => ["id\n\xff", 'not valid UTF-8'];
        yield 'too many' => ['['.implode(',', array_fill(0, 201, '{}')).']', 'at most 200 records'];
        yield 'too much' => [str_repeat('x', 2_000_001), 'more than 2 MB'];
        yield 'nested for ever' => [str_repeat('[', 5000), 'not JSON'];
    }

    #[Test, DataProvider('mistakes')]
    public function mistakes_are_named_with_their_place(string $typed, string $said): void
    {
        $this->expectException(InvalidTreatment::class);
        $this->expectExceptionMessage($said);
        TypedRecords::parse($typed, self::shape());
    }

    /** @return list<Line> */
    private static function lines(string ...$columns): array
    {
        return array_map(static fn (string $c): Line => new Line($c), array_values($columns));
    }

    #[Test]
    public function names_are_changed_by_pattern_case_and_list(): void
    {
        $names = static fn (array $lines): array => array_map(static fn (Line $l): string => $l->name(), $lines);
        self::assertSame(['ADRNR', 'x_Name'], $names(Renaming::byPattern(self::lines('ADRNR', 'KNA1_Name'), [1], '^[A-Z0-9]+_(\w+)$', 'x_$1', '')));
        self::assertSame(['grower_no', 'second_weighing_kg', 'straße'], $names(Renaming::byPattern(self::lines('GrowerNo', 'Second weighing (kg)', 'Straße'), [], '', '', 'snake')));
        self::assertSame(['KG', 'ÄPFEL'], $names(Renaming::byPattern(self::lines('kg', 'äpfel'), [], '', '', 'upper')));
        [$lines, $unknown] = Renaming::byList(self::lines('BUKRS', 'GJAHR', 'BELNR'), "BUKRS\tCompany, short\n\"GJAHR\",\"Year, fiscal\"\nNONE;Nobody\n");
        self::assertSame([['Company, short', 'Year, fiscal', 'BELNR'], ['NONE']], [$names($lines), $unknown]);
        self::assertSame('BUKRS', $lines[0]->from);
    }

    #[Test]
    public function every_name_that_samples_hold_becomes_a_column_of_its_type(): void
    {
        $rows = [['1', 'x', '{"kg": 1, "share": 0.5, "on": true, "who": "Wen", "deep": {"a": 1}, "odd": 1}'], ['2', 'y', null], ['3', 'z', 'no JSON'], ['4', 'z', '{"kg": 2.5, "odd": "x", "late": null}']];
        $lines = Flattening::lines([...self::lines('id', 'name', 'recipe')], 2, '{name}_of_{column}', true, $rows, self::shape());
        self::assertSame(['id', 'name', 'kg_of_recipe', 'share_of_recipe', 'on_of_recipe', 'who_of_recipe', 'deep_of_recipe', 'odd_of_recipe', 'late_of_recipe', 'recipe_rest'], array_map(static fn (Line $l): string => $l->name(), $lines));
        self::assertSame(['flatten: kg, then to decimal', 'flatten: share, then to decimal', 'flatten: on, then to boolean', 'flatten: who', 'flatten: deep, then to jsonb', 'flatten: odd', 'flatten: late', 'the rest, without kg, share, on, who, deep, odd, late'], array_map(static fn (Line $l): string => $l->sentence(), array_slice($lines, 2)));
        $this->expectExceptionMessage('None of the sampled values of name is an object');
        Flattening::lines(self::lines('id', 'name', 'recipe'), 1, '{name}', false, $rows, self::shape());
    }
}
