<?php

declare(strict_types=1);

namespace Lighterman\Core\Tests\Treatment;

use Brick\Math\BigDecimal;
use Brick\Math\RoundingMode;
use Lighterman\Core\Format\CopyText;
use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Shape\Type;
use Lighterman\Core\Treatment\Reach;
use Lighterman\Core\Treatment\RowCompiler;
use Lighterman\Core\Treatment\Treater;
use Lighterman\Core\Treatment\Treatment;
use PHPUnit\Framework\Attributes\DataProvider;
use PHPUnit\Framework\Attributes\Test;
use PHPUnit\Framework\TestCase;
use Random\Engine\Mt19937;
use Random\Randomizer;

/** What compiled treatments compute, by whichever way is quickest, against arithmetic that knows only one way. */
final class ExactTest extends TestCase
{
    private Randomizer $random;

    private int $seed;

    protected function setUp(): void
    {
        $this->random = new Randomizer(new Mt19937($this->seed = random_int(1, PHP_INT_MAX)));
    }

    /** @param  list<array<string, mixed>>  $lines */
    private static function treater(array $lines, string ...$types): Treater
    {
        $treatment = Treatment::fromArray(['columns' => $lines, 'failing' => 'set_aside']);
        $rows = new RowCompiler(new Shape(array_map(static fn (string $t, int $i): Column => new Column('abcdef'[$i], Type::parse($t)), $types, array_keys($types))), $treatment, new Reach(static fn (): string => str_repeat('k', 32)));
        $rows->demandFlawless();

        return new Treater($rows, $treatment, []);
    }

    /** A number of at most so many digits, as a source writes one of that scale. */
    private function number(int $digits, int $scale): string
    {
        $unscaled = '';
        for ($i = $this->random->getInt(1, $digits); $i > 0; $i--) {
            $unscaled .= $this->random->getInt(0, 9);
        }

        return (string) BigDecimal::ofUnscaledValue(($this->random->getInt(0, 2) === 0 ? '-' : '').$unscaled, $scale);
    }

    /** @return iterable<string, array{int, int, int, int}> */
    public static function scales(): iterable
    {
        yield 'prices' => [9, 2, 9, 2];
        yield 'at the edge of what a double holds' => [14, 3, 14, 3];
        yield 'beyond it' => [16, 4, 16, 4];
        yield 'of different scales' => [13, 1, 13, 7];
        yield 'whole and divided' => [12, 0, 15, 11];
        yield 'very long' => [38, 10, 30, 20];
    }

    #[Test, DataProvider('scales')]
    public function expressions_over_decimals_are_exact(int $digits, int $scale, int $otherDigits, int $otherScale): void
    {
        $expressions = ['a + b', 'a - b', 'a * b', 'a + b - a', '(a - b) * 2', 'a + 0.1'];
        $treater = self::treater(array_map(static fn (string $e, int $i): array => ['as' => "r{$i}", 'steps' => [['derive' => $e]]], $expressions, array_keys($expressions)), "decimal({$digits},{$scale})", "decimal({$otherDigits},{$otherScale})");
        $rows = [];
        for ($n = 0; $n < 400; $n++) {
            $rows[] = [$this->number($digits, $scale), $this->number($otherDigits, $otherScale)];
        }
        $treated = $treater->block(implode('', array_map(CopyText::line(...), $rows)));
        self::assertSame([], $treated->apart);
        foreach (explode("\n", substr($treated->own(), 0, -1)) as $i => $line) {
            [$a, $b] = array_map(BigDecimal::of(...), $rows[$i]);
            $wanted = [$a->plus($b), $a->minus($b), $a->multipliedBy($b), $b, $a->minus($b)->multipliedBy(2), $a->plus('0.1')];
            foreach (array_slice(CopyText::row($line), 2) as $e => $is) {
                self::assertTrue($wanted[$e]->isEqualTo((string) $is), "{$expressions[$e]} with {$a} and {$b} is {$is}, not {$wanted[$e]} (seed {$this->seed})");
            }
        }
    }

    #[Test]
    public function numbers_converted_from_text_are_rounded_half_away_from_zero_or_do_not_fit(): void
    {
        foreach ([[5, 2], [9, 0], [14, 7], [15, 1], [38, 19]] as [$precision, $scale]) {
            $treater = self::treater([['from' => 'a', 'as' => 'a', 'steps' => [['convert' => "decimal({$precision},{$scale})"]]]], 'text');
            for ($n = 0; $n < 300; $n++) {
                $text = $this->number($precision + 2, $this->random->getInt(0, $scale + 3));
                $text = [$text, "+{$text}", " {$text} ", "{$text}e1", ltrim($text, '0')][$text[0] === '-' ? $this->random->getInt(2, 3) : $this->random->getInt(0, 3)];
                $wanted = BigDecimal::of(trim($text))->toScale($scale, RoundingMode::HALF_UP);
                $fits = strlen(ltrim((string) $wanted->getUnscaledValue()->abs(), '0')) <= $precision;
                $judged = $treater->look([$text]);
                self::assertSame($fits, $judged->failures === [], "{$text} as decimal({$precision},{$scale}), seed {$this->seed}");
                if ($fits) {
                    self::assertSame((string) $wanted, ltrim((string) $judged->final(0)), "{$text} as decimal({$precision},{$scale}), seed {$this->seed}");
                }
            }
        }
    }

    #[Test]
    public function ranges_hold_to_the_last_digit(): void
    {
        for ($round = 0; $round < 40; $round++) {
            [$from, $to] = [$this->number(17, 4), $this->number(17, 4)];
            $treatment = Treatment::fromArray(['failing' => 'set_aside', 'checks' => [['check' => 'range', 'columns' => ['a'], 'from' => $from, 'to' => $to, 'else' => 'set_aside']]]);
            $rows = new RowCompiler(new Shape([new Column('a', Type::parse('decimal(20,5)'))]), $treatment, new Reach(static fn (): string => ''));
            $rows->demandFlawless();
            $treater = new Treater($rows, $treatment, []);
            foreach ([$from, $to, $this->number(17, 5), (string) BigDecimal::of($from)->minus('0.00001'), (string) BigDecimal::of($to)->plus('0.00001')] as $value) {
                $holds = BigDecimal::of($value)->isGreaterThanOrEqualTo($from) && BigDecimal::of($value)->isLessThanOrEqualTo($to);
                self::assertSame($holds, $treater->look([$value])->failures === [], "{$value} from {$from} to {$to}, seed {$this->seed}");
            }
            self::assertSame([], $treater->look([null])->failures);
        }
    }
}
