<?php

declare(strict_types=1);

namespace Lighterman\Core\Tests\Capture;

use InvalidArgumentException;
use Lighterman\Core\Capture\FilePattern;
use PHPUnit\Framework\Attributes\DataProvider;
use PHPUnit\Framework\Attributes\Test;
use PHPUnit\Framework\TestCase;

final class FilePatternTest extends TestCase
{
    /** @return array<string, array{string, list<string>, list<string>}> */
    public static function patterns(): array
    {
        return [
            'a name' => ['must/a.csv', ['must/a.csv'], ['must/aXcsv', 'a.csv', 'must/a.csv.gz', 'x/must/a.csv']],
            'an asterisk stays within a name' => ['must/*.csv', ['must/a.csv', 'must/ä b.csv'], ['must/x/a.csv', 'must/.csv', 'must/.a.csv', 'must/_a.csv', 'must/a.CSV']],
            'two reach through folders' => ['must/**/*.csv', ['must/a.csv', 'must/x/a.csv', 'must/x/y/a.csv'], ['a.csv', 'must/_x/a.csv', 'must/.x/a.csv', 'other/must/a.csv']],
            'one character' => ['a-?.csv', ['a-1.csv', 'a-é.csv'], ['a-.csv', 'a-12.csv', 'a-/.csv']],
            'either' => ['{must,yeast}/a-*.{csv,txt}', ['must/a-1.csv', 'yeast/a-2.txt'], ['lees/a-1.csv', 'must/a-1.json']],
            'what means something elsewhere' => ['a+(b).csv', ['a+(b).csv'], ['aab.csv']],
            'folders that are columns' => ['h/year=*/part-*.parquet', ['h/year=2024/part-0.parquet'], ['h/month=1/part-0.parquet', 'h/year=2024/x/part-0.parquet']],
        ];
    }

    /**
     * @param  list<string>  $meant
     * @param  list<string>  $others
     */
    #[Test]
    #[DataProvider('patterns')]
    public function it_means_these_files_and_no_others(string $pattern, array $meant, array $others): void
    {
        $read = new FilePattern($pattern);
        foreach ($meant as $path) {
            self::assertTrue($read->matches($path), $path);
            self::assertTrue(str_starts_with($path, $read->folder()), "{$path} lies in the folder that is looked through");
        }
        foreach ($others as $path) {
            self::assertFalse($read->matches($path), $path);
        }
    }

    #[Test]
    public function it_never_reaches_out_of_the_folder(): void
    {
        foreach (['', '/etc/passwd', '../x.csv', 'a/../../x.csv', 'a/', '{a', 'a}', '{a,{b,c}}'] as $pattern) {
            try {
                new FilePattern($pattern);
                self::fail($pattern);
            } catch (InvalidArgumentException $e) {
                self::assertStringContainsString("\"{$pattern}\" is no pattern", $e->getMessage());
            }
        }
    }

    #[Test]
    public function folders_give_columns_and_their_values(): void
    {
        $pattern = new FilePattern('h/year=*/site=*/part-*.parquet');
        self::assertSame(['year', 'site'], $pattern->columns());
        self::assertSame(['2024', 'a/b=c d'], $pattern->values('h/year=2024/site=a%2Fb%3Dc%20d/part-0.parquet'));
        self::assertSame([null, null], $pattern->values('h/year=__HIVE_DEFAULT_PARTITION__/x/part-0.parquet'));
        self::assertSame(['h', true, 'h'], [$pattern->folder(), $pattern->isDeep(), $pattern->tableName()]);
        self::assertSame(['', false], [(new FilePattern('*.csv'))->folder(), (new FilePattern('*.csv'))->isDeep()]);
    }

    #[Test]
    public function files_that_are_counted_up_or_dated_have_one_pattern(): void
    {
        $like = [
            'must/must-2026-11-01.csv' => ['must/must-*.csv', 'must'], 'yeast/yeast-20261124T1700.jsonl' => ['yeast/yeast-*.jsonl', 'yeast'], 'h/year=2024/part-0.parquet' => ['h/year=*/part-*.parquet', 'h'],
            'loads_00017.csv.gz' => ['loads_*.csv.gz', 'loads'], 'plain.csv' => ['plain.csv', 'plain'], '2026-11-01.csv' => ['*.csv', 'files'], 'Growers List 3.txt' => ['Growers List *.txt', 'growers_list'],
        ];
        foreach ($like as $path => [$pattern, $table]) {
            self::assertSame([$pattern, $table], [FilePattern::like($path), (new FilePattern(FilePattern::like($path)))->tableName()], $path);
            self::assertTrue((new FilePattern(FilePattern::like($path)))->matches($path), $path);
        }
    }
}
