<?php

declare(strict_types=1);

namespace Lighterman\Core\Tests\Format;

use Lighterman\Core\Format\Guess;
use PHPUnit\Framework\Attributes\DataProvider;
use PHPUnit\Framework\Attributes\Test;
use PHPUnit\Framework\TestCase;

final class GuessTest extends TestCase
{
    /** @return array<string, array{list<string|null>, '.'|',', string, string|null, string}> */
    public static function columns(): array
    {
        return [
            'integers' => [['1', '-20', '+3'], '.', 'int64', null, 'integer in 3 of 3'],
            'codes with zeros before them' => [['007', '008', '010'], '.', 'text', null, 'text in 3 of 3'],
            'decimals, with room' => [['1,5', '20,25', '3'], ',', 'decimal(8,2)', null, 'decimal in 3 of 3'],
            'another mark' => [['1,5', '20,25'], '.', 'text', null, 'text in 2 of 2'],
            'days first' => [['01.11.2026', '30.11.2026'], '.', 'date', 'dd.MM.yyyy', 'date dd.MM.yyyy in 2 of 2'],
            'days without marks' => [['20261101', '20261130'], '.', 'date', 'yyyyMMdd', 'date yyyyMMdd in 2 of 2'],
            'moments' => [['2026-11-01 10:00:00', '2026-11-01T10:00'], '.', 'timestamp', null, 'timestamp in 2 of 2'],
            'moments with a zone' => [['2026-11-01 10:00:00+01:00', '2026-11-01T10:00Z'], '.', 'timestamptz', null, 'timestamptz in 2 of 2'],
            'truth' => [['true', 'FALSE', null], '.', 'boolean', null, 'boolean in 2 of 3; 1 empty'],
            'nothing at all' => [[null, '', ' '], '.', 'text', null, 'text in 0 of 3; 3 empty'],
        ];
    }

    /**
     * @param  list<string|null>  $values
     * @param  '.'|','  $decimal
     */
    #[Test]
    #[DataProvider('columns')]
    public function a_type_is_told_with_what_speaks_for_it(array $values, string $decimal, string $type, ?string $format, string $evidence): void
    {
        $guess = Guess::type($values, $decimal);
        self::assertSame([$type, $format, $evidence], [(string) $guess['type'], $guess['format'], $guess['evidence']]);
    }

    #[Test]
    public function a_few_that_do_not_fit_are_said_and_many_make_it_text(): void
    {
        $values = [...array_map(strval(...), range(1, 9_998)), '', ''];
        self::assertSame('integer in 9,998 of 10,000; 2 empty', Guess::type($values, '.')['evidence']);
        self::assertSame('integer in 99 of 100; 1 not', Guess::type([...array_map(strval(...), range(1, 99)), 'n/a'], '.')['evidence']);
        self::assertSame('text', (string) Guess::type([...array_map(strval(...), range(1, 90)), ...array_fill(0, 10, 'n/a')], '.')['type']);
    }

    #[Test]
    public function one_slip_in_a_small_file_is_said_and_does_not_make_it_text(): void
    {
        $with = static fn (int $numbers, int $slips): array => [...array_map(strval(...), range(1, $numbers)), ...array_fill(0, $slips, 'n. b.')];
        self::assertSame('integer in 23 of 24; 1 not', Guess::type($with(23, 1), '.')['evidence']);
        self::assertSame('text', (string) Guess::type($with(22, 2), '.')['type']);
        self::assertSame('text', (string) Guess::type($with(9, 1), '.')['type'], 'of ten values one may as well be meant');
    }
}
