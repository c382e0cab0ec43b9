<?php

declare(strict_types=1);

namespace Lighterman\Core\Tests\Treatment;

use Brick\Math\BigDecimal;
use Brick\Math\RoundingMode;
use Lighterman\Core\Format\CopyText;
use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Shape\Type;
use Lighterman\Core\Treatment\Check;
use Lighterman\Core\Treatment\FailureLimit;
use Lighterman\Core\Treatment\FailureWindow;
use Lighterman\Core\Treatment\InvalidTreatment;
use Lighterman\Core\Treatment\LookupTable;
use Lighterman\Core\Treatment\Outcome;
use Lighterman\Core\Treatment\Reach;
use Lighterman\Core\Treatment\RowCompiler;
use Lighterman\Core\Treatment\Treated;
use Lighterman\Core\Treatment\Treater;
use Lighterman\Core\Treatment\Treatment;
use Lighterman\Core\Treatment\TreatmentStopped;
use PHPUnit\Framework\Attributes\Test;
use PHPUnit\Framework\TestCase;
use Random\Engine\Mt19937;
use Random\Randomizer;

final class TreaterTest extends TestCase
{
    /** @param  array<string, mixed>  $treatment */
    private static function treater(array $treatment): Treater
    {
        $treatment = Treatment::fromArray($treatment + ['failing' => 'set_aside']);
        $rows = new RowCompiler(self::shape(), $treatment, new Reach(static fn (): string => str_repeat('k', 32)));
        $rows->demandFlawless();

        return new Treater($rows, $treatment, ['source_name' => 'weighbridge', 'run' => '7', 'load_year' => '2026', 'load_month' => '11', 'load_day' => '2026-11-23']);
    }

    private static function shape(): Shape
    {
        return new Shape([new Column('id', Type::parse('int32'), false), new Column('name', Type::parse('text')), new Column('kg', Type::parse('text')), new Column('east', Type::parse('int32')), new Column('north', Type::parse('int32'))], ['id']);
    }

    #[Test]
    public function values_come_through_byte_for_byte_whether_they_are_touched_or_not(): void
    {
        $odd = ["tab\there", "line\nbreak", 'back\\slash', '\\N', '', "\u{1F34E} ä\x07", "\r\v\f\x08", null];
        $treater = self::treater(['columns' => [['as' => 'again', 'steps' => [['derive' => 'name']]]]]);
        $lines = implode('', array_map(static fn (?string $v): string => CopyText::line(['1', $v, '2', '3', '4']), $odd));
        $treated = $treater->block($lines);
        $landed = $treated->own();
        self::assertSame([], $treated->apart);
        foreach (explode("\n", substr($landed, 0, -1)) as $i => $line) {
            $row = CopyText::row($line);
            self::assertSame([$odd[$i], $odd[$i]], [$row[1], $row[5]]);
        }
    }

    #[Test]
    public function every_record_read_is_landed_dropped_or_set_aside_for_random_records_and_rules(): void
    {
        $seed = random_int(1, PHP_INT_MAX);
        $random = new Randomizer(new Mt19937($seed));
        $pick = static fn (array $of): mixed => $of[$random->getInt(0, count($of) - 1)];
        for ($round = 0; $round < 60; $round++) {
            $checks = [];
            foreach (range(0, $random->getInt(0, 4)) as $ignored) {
                $checks[] = ['else' => $pick(['set_aside', 'drop', 'warn'])] + $pick([
                    ['check' => 'required', 'columns' => ['name']], ['check' => 'not_empty', 'columns' => ['name']], ['check' => 'range', 'columns' => ['east'], 'from' => '10', 'to' => '70'], ['check' => 'list', 'columns' => ['name'], 'values' => ['a', 'b', 'ä']],
                    ['check' => 'pattern', 'columns' => ['name'], 'pattern' => '^[a-c]'], ['check' => 'box', 'columns' => ['east', 'north'], 'west' => '0', 'south' => '0', 'east' => '50', 'north' => '50'], ['check' => 'unique', 'columns' => ['name', 'east']],
                    ['check' => 'expression', 'expression' => 'east / north > 1'], ['check' => 'range', 'columns' => ['weight'], 'from' => '0', 'to' => '50'], ['check' => 'pattern', 'columns' => ['kg'], 'pattern' => '^\\d', 'as_read' => true],
                ]);
            }
            $forks = array_slice([['name' => 'far', 'when' => 'east > 40', 'landed' => 'c.far', 'columns' => [['as' => 'slope', 'steps' => [['derive' => 'north / east']]], ['from' => 'id', 'as' => 'far_id']]], ['name' => 'odd', 'when' => '100 / north > 3 and name != "b"', 'landed' => 'c.odd'], ['name' => 'heavy', 'when' => 'weight > 2', 'landed' => 'c.heavy', 'columns' => [['from' => 'share', 'as' => 'share', 'steps' => [['convert' => 'int16']]]]]], 0, $random->getInt(0, 3));
            $treater = self::treater(['forks' => $forks, 'otherwise' => $pick(['land', 'set_aside', 'drop']), 'failing' => $pick(['set_aside', 'drop']), 'checks' => $checks, 'columns' => [['from' => 'kg', 'as' => 'weight', 'steps' => [['convert' => 'decimal(6,2)', 'decimal' => ',', 'else' => $pick(['fail', 'null'])]]], ['from' => 'name', 'drop' => false, 'as' => 'name', 'steps' => [['derive' => 'value']]], ['as' => 'share', 'steps' => [['derive' => 'weight / 3']]]]]);
            $rows = [];
            foreach (range(1, 80) as $id) {
                $rows[] = [(string) $id, $pick(['a', 'b', 'ä', '', "x\ty", null]), $pick(['1,5', '12', 'x', '', null, '99999,999', "\xff"]), $pick([null, (string) $random->getInt(-20, 90)]), $pick([null, '0', (string) $random->getInt(-20, 90)])];
            }
            $treated = $treater->block(implode('', array_map(CopyText::line(...), $rows)));
            self::assertSame(80, $treated->landing() + $treated->dropped + count($treated->apart), "seed {$seed}, round {$round}");
            // One by one, as changes come, the same becomes of each.
            $treater->begin();
            $into = new Treated;
            foreach ($rows as $row) {
                $after = $treater->row($row, $into) ?? $treater->left;
                if ($after !== null) {
                    $into->landed[$treater->took] = ($into->landed[$treater->took] ?? '').CopyText::line($after);
                }
            }
            $landed = array_filter($treated->landed);
            ksort($landed);
            ksort($into->landed);
            self::assertSame([$landed, $treated->dropped, count($treated->apart), $treated->warned], [$into->landed, $into->dropped, count($into->apart), $into->warned], "seed {$seed}, round {$round}");
            foreach ($treated->apart as $apart) {
                self::assertContains($apart->row, $rows);
                self::assertNotSame([], $apart->judging->failures);
                self::assertFalse($treater->passes($apart->row) && $checks === []);
            }
        }
    }

    #[Test]
    public function sums_are_exact_however_numbers_are_written(): void
    {
        $seed = random_int(1, PHP_INT_MAX);
        $random = new Randomizer(new Mt19937($seed));
        $read = new Shape(array_map(static fn (string $n): Column => new Column($n, Type::parse('decimal(12,3)')), ['a', 'b']));
        $treatment = Treatment::fromArray(['columns' => [['as' => 'plus', 'steps' => [['derive' => 'a + b']]], ['as' => 'minus', 'steps' => [['derive' => 'a - b + a']]], ['as' => 'fixed', 'steps' => [['derive' => 'a - b', 'type' => 'decimal(24,3)']]]], 'failing' => 'set_aside']);
        $treater = new Treater(new RowCompiler($read, $treatment, new Reach(static fn (): string => '')), $treatment, []);
        // A source without strict types may hold other decimals than its columns say.
        $odd = ['7', '1.25', '-0.0005', '1e3', '123456789012345678.901', '.5', '5.', '0.000', '-0.000'];
        $rows = [];
        for ($n = 0; $n < 400; $n++) {
            $any = static fn (): string => $random->getInt(0, 9) === 0 ? $odd[$random->getInt(0, count($odd) - 1)] : sprintf('%s%d.%03d', $random->getInt(0, 1) ? '-' : '', $random->getInt(0, 999_999_999), $random->getInt(0, 999));
            $rows[] = [$any(), $any()];
        }
        $treated = $treater->block(implode('', array_map(CopyText::line(...), $rows))."\\N\t1.000\nNaN\t1.000\n");
        $landed = $treated->own();
        self::assertSame(['not_a_number'], array_map(static fn ($a): string => $a->judging->failures[0]->reason, $treated->apart));
        $lines = explode("\n", substr($landed, 0, -1));
        self::assertSame(['\\N', '1.000', '\\N', '\\N', '\\N'], explode("\t", array_pop($lines)));
        foreach ($lines as $n => $line) {
            [$a, $b, $plus, $minus, $fixed] = explode("\t", $line);
            self::assertSame($rows[$n], [$a, $b]);
            $wanted = [BigDecimal::of($a)->plus($b), BigDecimal::of($a)->minus($b)->plus($a), BigDecimal::of($a)->minus($b)->toScale(3, RoundingMode::HALF_UP)];
            foreach ([$plus, $minus, $fixed] as $i => $is) {
                self::assertTrue($wanted[$i]->isEqualTo($is), "{$a}, {$b}: {$is} instead of {$wanted[$i]} (seed {$seed})");
            }
        }
    }

    #[Test]
    public function columns_that_go_change_places_or_are_doubled_land_where_they_should(): void
    {
        $row = ["1\ta\\tb\t2\t3\t4\n"];
        foreach ([
            [['columns' => [['from' => 'name', 'drop' => true]]], "1\t2\t3\t4\n"],
            [['order' => ['north', 'name']], "4\ta\\tb\t1\t2\t3\n"],
            [['columns' => [['from' => 'name', 'as' => 'once'], ['from' => 'name', 'as' => 'twice', 'steps' => [['derive' => 'upper(value)']]]]], "1\ta\\tb\tA\\tB\t2\t3\t4\n"],
            [['columns' => [['from' => 'name', 'steps' => [['mask' => 'fixed', 'text' => "x\ty"]]], ['as' => 'last', 'steps' => [['stamp' => 'run']]]]], "1\tx\\ty\t2\t3\t4\t7\n"],
            [['columns' => [['from' => 'name', 'steps' => [['mask' => 'keyed_hash'], ['derive' => "value ~ '\\t'"]]]]], '1'."\t".bin2hex(sodium_crypto_generichash("a\tb", str_repeat('k', 32), 16)).'\\t'."\t2\t3\t4\n"],
        ] as [$treatment, $wanted]) {
            self::assertSame($wanted, self::treater($treatment)->block($row[0])->own());
        }
    }

    #[Test]
    public function an_expression_sees_other_columns_as_they_land_and_a_masked_one_masked(): void
    {
        $treater = self::treater(['columns' => [['from' => 'name', 'steps' => [['mask' => 'keep_last', 'keep' => 1]]], ['as' => 'greeting', 'steps' => [['derive' => "'dear ' ~ name ~ ' of ' ~ area"]]], ['as' => 'area', 'steps' => [['derive' => 'text(east) ~ text(north)']]]]]);
        self::assertSame("1\t··n\t2\t3\t4\tdear ··n of 34\t34\n", $treater->block("1\tWen\t2\t3\t4\n")->own());
    }

    #[Test]
    public function a_line_that_is_not_utf8_fails_alone(): void
    {
        $treater = self::treater(['columns' => [['from' => 'name', 'steps' => [['derive' => 'upper(value)']]]]]);
        $treated = $treater->block("1\ta\t2\t3\t4\n2\t\xc3\x28\t2\t3\t4\n3\tb\t2\t3\t4\n");
        $landed = $treated->own();
        self::assertSame("1\tA\t2\t3\t4\n3\tB\t2\t3\t4\n", $landed);
        self::assertSame('invalid_utf8', $treated->apart[0]->judging->failures[0]->reason);
    }

    #[Test]
    public function a_message_shows_the_value_unless_a_mask_hides_it(): void
    {
        $treater = self::treater(['columns' => [['from' => 'kg', 'steps' => [['convert' => 'int32'], ['mask' => 'keep_last', 'keep' => 1]]], ['from' => 'name', 'as' => 'number', 'steps' => [['convert' => 'int32']]]], 'checks' => [['check' => 'pattern', 'columns' => ['kg'], 'pattern' => '^9', 'as_read' => true, 'else' => 'set_aside']]]);
        $judged = $treater->look(['1', 'open', 'secret', '3', '4']);
        $told = implode(' ', array_map(static fn ($f): string => $f->message.$f->step, $judged->failures)).json_encode($judged->atFailure());
        self::assertStringContainsString('"open"', $told);
        self::assertStringNotContainsString('secret', $told);
        self::assertCount(3, $judged->failures);
    }

    #[Test]
    public function what_fails_before_its_mask_and_what_is_derived_from_it_is_hidden_too(): void
    {
        $treater = self::treater(['columns' => [['from' => 'kg', 'steps' => [['convert' => 'int32'], ['mask' => 'keep_last', 'keep' => 1]]], ['as' => 'copy', 'steps' => [['derive' => "as_read('kg')"], ['convert' => 'int32']]], ['from' => 'name', 'as' => 'other', 'steps' => [['derive' => "value ~ as_read('kg')"], ['convert' => 'varchar(2)']]]],
            'checks' => [['check' => 'required', 'columns' => ['kg'], 'else' => 'set_aside'], ['check' => 'not_empty', 'columns' => ['copy'], 'else' => 'set_aside'], ['check' => 'required', 'columns' => ['other'], 'else' => 'set_aside']]]);
        $judged = $treater->look(['1', 'open', 'secret', '3', '4']);
        self::assertCount(6, $judged->failures);
        $told = implode(' ', array_map(static fn ($f): string => $f->message.$f->step, $judged->failures)).json_encode($judged->atFailure());
        self::assertStringNotContainsString('secret', $told);
    }

    #[Test]
    public function a_record_that_stops_the_feed_and_a_limit_that_is_passed_say_so(): void
    {
        $stop = self::treater(['checks' => [['check' => 'required', 'columns' => ['name'], 'else' => 'stop']]]);
        try {
            $stop->block("1\t\\N\t2\t3\t4\n");
            self::fail('not stopped');
        } catch (TreatmentStopped $e) {
            self::assertStringContainsString('It does not have a name: name is null', $e->getMessage());
            self::assertFalse($e->mayPass());
        }
        $limited = self::treater(['checks' => [['check' => 'required', 'columns' => ['name'], 'else' => 'set_aside', 'limit' => ['percent' => 2, 'of' => 100]]]]);
        $good = str_repeat("1\ta\t2\t3\t4\n", 99);
        $bad = "1\t\\N\t2\t3\t4\n";
        $limited->block($good.$bad.$good.$bad.$bad);
        $this->expectExceptionMessage('stop if over 2 % of the last 100');
        $limited->block($bad);
    }

    #[Test]
    public function a_window_counts_only_the_last_records(): void
    {
        $window = new FailureWindow(new FailureLimit(10, 20));
        self::assertSame([false, false, true], [$window->failed(0), $window->failed(1), $window->failed(2)]);
        self::assertFalse((new FailureWindow(new FailureLimit(10, 20)))->failed(5));
        $twice = new FailureWindow(new FailureLimit(10, 20));
        foreach ([1, 1, 1, 7, 7] as $n) {
            self::assertFalse($twice->failed($n), 'a record that fails in several ways has failed once');
        }
        self::assertTrue($twice->failed(8));
        $slow = new FailureWindow(new FailureLimit(10, 20));
        foreach (range(0, 1000, 10) as $n) {
            self::assertFalse($slow->failed($n));
        }
    }

    #[Test]
    public function of_doubles_only_the_first_lands_also_where_it_lands_with_a_warning(): void
    {
        $treatment = Treatment::fromArray(['checks' => [['check' => 'unique', 'columns' => ['east'], 'else' => 'drop'], ['check' => 'range', 'columns' => ['id'], 'to' => '2', 'else' => 'warn']], 'failing' => 'set_aside']);
        $treater = new Treater(new RowCompiler(self::shape(), $treatment, new Reach(static fn (): string => '')), $treatment, []);
        $treated = $treater->block("7\ta\t1\t5\t4\n8\tb\t1\t5\t4\n1\tc\t1\t6\t4\n2\td\t1\t6\t4\n");
        self::assertSame(["7\ta\t1\t5\t4\n1\tc\t1\t6\t4\n", 2, 1], [$treated->own(), $treated->dropped, $treated->warned]);
        // Rehearsal looks at records one by one.
        $treater->begin();
        $outcomes = [];
        foreach ([['7', 'a', '1', '5', '4'], ['8', 'b', '1', '5', '4'], ['9', 'e', '1', null, '4'], ['9', 'f', '1', null, '4']] as $row) {
            $judged = $treater->look($row);
            $outcomes[] = $judged->outcome();
            in_array($judged->outcome(), [null, Outcome::Warn], true) && $treater->remember($judged);
        }
        self::assertSame([Outcome::Warn, Outcome::Drop, Outcome::Warn, Outcome::Warn], $outcomes);
    }

    #[Test]
    public function numbers_of_a_list_count_by_their_value_and_a_pattern_ends_with_its_value(): void
    {
        $lands = static function (array $check, string $value): bool {
            $treatment = Treatment::fromArray(['checks' => [$check + ['else' => 'drop']], 'failing' => 'set_aside']);
            $line = (new Treater(new RowCompiler(self::shape(), $treatment, new Reach(static fn (): string => '')), $treatment, []))->block(CopyText::line(['1', $check['check'] === 'pattern' ? $value : 'a', '1', $check['check'] === 'list' ? $value : '1', '4']));

            return $line->own() !== '';
        };
        foreach (['5' => true, '5.00' => true, '5e0' => true, '0.50' => true, '5.01' => false, '50' => false] as $value => $is) {
            self::assertSame($is, $lands(['check' => 'list', 'columns' => ['east'], 'values' => ['5.0', '.5']], (string) $value), (string) $value);
        }
        self::assertSame([true, false, false], [$lands(['check' => 'pattern', 'columns' => ['name'], 'pattern' => '^a$'], 'a'), $lands(['check' => 'pattern', 'columns' => ['name'], 'pattern' => '^a$'], "a\n"), $lands(['check' => 'pattern', 'columns' => ['name'], 'pattern' => '^a$'], "a\nb")]);
    }

    #[Test]
    public function lookups_ask_for_many_at_once_remember_for_a_while_and_forget(): void
    {
        $table = new class implements LookupTable
        {
            /** @var list<int> */
            public array $asked = [];

            public int $now = 1000;

            public function now(): int
            {
                return $this->now;
            }

            public function fetch(array $keys): array
            {
                $this->asked[] = count($keys);

                return array_combine(array_filter($keys, static fn (string $k): bool => (int) $k % 10 !== 0), array_map(static fn (string $k): string => "name {$k}", array_filter($keys, static fn (string $k): bool => (int) $k % 10 !== 0)));
            }
        };
        $treatment = Treatment::fromArray(['columns' => [['from' => 'east', 'steps' => [['lookup' => 'public.t', 'system' => 's', 'match' => 'm', 'take' => 'n', 'match_type' => 'int32', 'type' => 'text']]]], 'checks' => [['check' => 'unique', 'columns' => ['id'], 'else' => 'drop']], 'failing' => 'set_aside']);
        $rows = new RowCompiler(self::shape(), $treatment, new Reach(static fn (): string => '', static fn () => $table));
        $treater = new Treater($rows, $treatment, []);
        $block = implode('', array_map(static fn (int $n): string => "{$n}\ta\t1\t".($n % 1000)."\t4\n", range(1, 2000)));
        $treated = $treater->block($block);
        $landed = $treated->own();
        self::assertSame([1000], $table->asked);
        self::assertSame([1800, 200, 0], [substr_count($landed, "\n"), count($treated->apart), $treated->dropped]);
        self::assertStringContainsString("1001\ta\t1\tname 1\t4\n", $landed);
        $treater->begin();
        $treater->block($block);
        self::assertCount(1, $table->asked);
        self::assertSame('name 7', $treater->row(['9999', 'a', '1', '7', '4'], new Treated)[3] ?? null);

        $table->now += 299;
        $treater->block("1\ta\t1\t7\t4\n");
        self::assertCount(1, $table->asked);
        $table->now++;
        $treater->block("1\ta\t1\t7\t4\n");
        self::assertSame([1000, 1], $table->asked);
        self::assertSame(2, $treater->queries());
    }

    #[Test]
    public function what_a_change_does_not_say_stays_unsaid_where_nothing_else_is_needed(): void
    {
        $treater = self::treater(['columns' => [['from' => 'name', 'as' => 'label', 'steps' => [['derive' => 'upper(value)']]], ['as' => 'both', 'steps' => [['derive' => "kg ~ '/' ~ east"]]]]]);
        $into = new Treated;
        self::assertSame(['1', false, '2', '3', '4', '2/3'], $treater->row(['1', false, '2', '3', '4'], $into));
        self::assertSame(['1', 'A', false, false, '4', false], $treater->row(['1', 'a', false, false, '4'], $into));
        self::assertNull($treater->row(['1', 'a', false, '3', '4'], $into));
        self::assertSame('not_sent', $into->apart[0]->judging->failures[0]->reason);
        self::assertSame(['1', false, false, '3', '4', false], $treater->before(['1', false, false, '3', '4']));
    }

    #[Test]
    public function outcomes_have_to_be_stated_and_the_gravest_decides(): void
    {
        foreach ([['columns' => [['from' => 'name', 'drop' => true]]], ['checks' => [['check' => 'required', 'columns' => ['name']]], 'failing' => 'drop'], ['checks' => [['check' => 'required', 'columns' => ['name'], 'else' => 'drop']], 'failing' => 'warn']] as $said) {
            try {
                Treatment::fromArray($said)->demandOutcomes();
                self::fail('accepted');
            } catch (InvalidTreatment $e) {
                self::assertStringContainsString('not stated', $e->getMessage());
            }
        }
        self::assertSame(Outcome::SetAside, Outcome::gravest(Outcome::Warn, Outcome::SetAside, Outcome::Drop));
        self::assertNull(Outcome::gravest());
    }

    #[Test]
    public function a_treatment_comes_back_from_its_own_spelling(): void
    {
        $said = ['columns' => [['from' => 'kg', 'as' => 'weight', 'steps' => [['convert' => 'decimal(6,2)', 'decimal' => ',']]], ['as' => 'x', 'steps' => [['stamp' => 'run']]]], 'order' => ['x'], 'checks' => [['check' => 'box', 'columns' => ['east', 'north'], 'name' => 'inside', 'west' => '0', 'south' => '0', 'east' => '5', 'north' => '5', 'else' => 'warn', 'limit' => ['percent' => 2.0, 'of' => 10000]]], 'failing' => 'stop'];
        self::assertEquals($said, Treatment::fromArray($said)->toArray());
        self::assertSame(['x', 'id', 'name', 'weight', 'east', 'north'], array_map(static fn ($l): string => $l->name(), Treatment::fromArray($said)->sheet(self::shape())));
        foreach (Check::KINDS as $kind) {
            $check = Check::fromArray(['check' => $kind, 'columns' => $kind === 'box' ? ['east', 'north'] : ($kind === 'expression' ? [] : ['name']), 'from' => 'a', 'values' => ['a'], 'pattern' => 'a', 'west' => 0, 'south' => 0, 'east' => 1, 'north' => 1, 'expression' => 'true', 'else' => 'drop']);
            self::assertEquals($check, Check::fromArray($check->toArray()));
            self::assertNotSame('', $check->sentence());
        }
    }

    #[Test]
    public function circles_and_columns_that_are_not_there_are_refused(): void
    {
        foreach ([[[['as' => 'a', 'steps' => [['derive' => 'b + 1']]], ['as' => 'b', 'steps' => [['derive' => 'a + 1']]]], 'circle'], [[['from' => 'nothing', 'drop' => true]], 'has no column "nothing"'], [[['from' => 'kg', 'as' => 'name']], 'Two columns land as name'], [[['from' => 'kg', 'as' => str_repeat('ä', 40)]], 'longer than the 63 bytes'], [[['as' => 'x']], 'has to begin with a derivation']] as [$columns, $said]) {
            try {
                self::treater(['columns' => $columns]);
                self::fail("not refused: {$said}");
            } catch (InvalidTreatment $e) {
                self::assertStringContainsString($said, $e->getMessage());
            }
        }
    }
}
