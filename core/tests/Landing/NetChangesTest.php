<?php

declare(strict_types=1);

namespace Lighterman\Core\Tests\Landing;

use Lighterman\Core\Landing\Change;
use Lighterman\Core\Landing\KeyOf;
use Lighterman\Core\Landing\NetChange;
use Lighterman\Core\Landing\NetChanges;
use Lighterman\Core\Landing\SourceCommit;
use Lighterman\Core\Position\LogPlace;
use LogicException;
use PHPUnit\Framework\Attributes\Test;
use PHPUnit\Framework\TestCase;

final class NetChangesTest extends TestCase
{
    /** @return array<string, NetChange> by key */
    private static function net(Change ...$changes): array
    {
        $plan = new NetChanges(new KeyOf([0]));
        foreach ($changes as $n => $change) {
            $plan->add($change, new SourceCommit(LogPlace::commitAt(100 + $n), 0));
        }
        $net = [];
        foreach ($plan->net() as $one) {
            $net[(string) $one->row[0]] = $one;
        }

        return $net;
    }

    private static function insert(string $key, string|false|null ...$rest): Change
    {
        return new Change('insert', null, [$key, ...array_values($rest)], 1);
    }

    private static function update(string $key, string|false|null ...$rest): Change
    {
        return new Change('update', null, [$key, ...array_values($rest)], 1);
    }

    private static function delete(string $key): Change
    {
        return new Change('delete', [$key, false, false], null, 1);
    }

    #[Test]
    public function a_row_changed_a_thousand_times_is_written_once_as_it_is_last(): void
    {
        $plan = new NetChanges(new KeyOf([0]));
        for ($n = 1; $n <= 1000; $n++) {
            $plan->add(self::update('7', (string) $n, 'x'), new SourceCommit(LogPlace::commitAt($n), 0));
        }
        self::assertSame([1000, 1], [$plan->changes(), $plan->lines()]);
        $net = iterator_to_array($plan->net());
        self::assertSame(['7', '1000', 'x'], $net['7']->row);
        self::assertSame('0/3E8', $net['7']->commit->place->label());
        $plan->clear();
        self::assertSame([0, 0], [$plan->changes(), $plan->lines()]);
    }

    #[Test]
    public function a_delete_after_an_insert_stays_a_delete_since_the_row_may_have_landed_before(): void
    {
        $net = self::net(self::insert('1', 'a', 'b'), self::delete('1'));
        self::assertTrue($net['1']->delete);
    }

    #[Test]
    public function values_not_sent_are_taken_from_earlier_changes_and_else_left_to_the_landed_row(): void
    {
        $net = self::net(self::insert('1', 'a', 'large'), self::update('1', 'b', false), self::update('2', 'c', false));
        self::assertSame([['1', 'b', 'large'], null], [$net['1']->row, $net['1']->from]);
        self::assertSame([['2', 'c', false], ['2']], [$net['2']->row, $net['2']->from]);
    }

    #[Test]
    public function a_null_that_was_sent_is_not_mistaken_for_a_value_that_was_not(): void
    {
        $net = self::net(self::insert('1', 'a', null), self::update('1', 'b', false));
        self::assertSame([['1', 'b', null], null], [$net['1']->row, $net['1']->from]);
    }

    #[Test]
    public function a_moved_key_deletes_the_old_one_and_keeps_track_of_where_unsent_values_lie(): void
    {
        $plan = new NetChanges(new KeyOf([0]));
        $plan->add(new Change('update', ['1', false, false], ['2', 'a', false], 1), new SourceCommit(LogPlace::commitAt(1), 0));
        $plan->add(new Change('update', ['2', false, false], ['3', 'b', false], 2), new SourceCommit(LogPlace::commitAt(1), 0));
        $net = iterator_to_array($plan->net());
        self::assertTrue($net['1']->delete);
        self::assertTrue($net['2']->delete);
        self::assertSame([['3', 'b', false], ['1']], [$net['3']->row, $net['3']->from], 'the value still lies under the first key');
        self::assertSame(4, $plan->changes(), 'each move counts as a delete and a write');
    }

    #[Test]
    public function a_key_that_does_not_move_although_the_old_row_is_known_is_an_update(): void
    {
        $net = self::net(new Change('update', ['1', 'old', 'large'], ['1', 'new', false], 1));
        self::assertSame([['1', 'new', 'large'], null, false], [$net['1']->row, $net['1']->from, $net['1']->delete]);
    }

    #[Test]
    public function parts_of_a_composite_key_do_not_run_into_each_other(): void
    {
        $plan = new NetChanges(KeyOf::columns(['v', 'a', 'b'], ['a', 'b']));
        foreach ([['1', 'x', 'yz'], ['2', 'xy', 'z']] as $row) {
            $plan->add(new Change('insert', null, $row, 1), new SourceCommit(LogPlace::commitAt(1), 0));
        }
        self::assertSame(2, $plan->lines());
    }

    #[Test]
    public function a_change_that_does_not_say_its_key_is_refused(): void
    {
        $this->expectException(LogicException::class);
        self::net(new Change('delete', [null, 'a', 'b'], null, 1));
    }

    /** Whatever is done to a few keys, applying the net changes gives what applying every change gives. */
    #[Test]
    public function net_changes_lead_to_the_same_rows_as_all_changes(): void
    {
        for ($round = 0; $round < 300; $round++) {
            mt_srand($round);
            $source = $landed = ['1' => ['1', 'a', 'L1'], '2' => ['2', 'b', 'L2'], '3' => ['3', 'c', 'L3']];
            $plan = new NetChanges(new KeyOf([0]));
            for ($n = 0; $n < 12; $n++) {
                $key = (string) mt_rand(1, 6);
                $row = $source[$key] ?? null;
                if ($row === null) {
                    $change = self::insert($key, "i{$n}", "L{$n}");
                    $source[$key] = [$key, "i{$n}", "L{$n}"];
                } elseif (mt_rand(0, 3) === 0) {
                    $change = self::delete($key);
                    unset($source[$key]);
                } elseif (mt_rand(0, 2) === 0 && ! isset($source[$to = (string) mt_rand(1, 6)])) {
                    $change = new Change('update', [$key, false, false], [$to, "m{$n}", false], $n);
                    unset($source[$key]);
                    $source[$to] = [$to, "m{$n}", $row[2]];
                } else {
                    $large = mt_rand(0, 1) === 0;
                    $change = self::update($key, "u{$n}", $large ? "N{$n}" : false);
                    $source[$key] = [$key, "u{$n}", $large ? "N{$n}" : $row[2]];
                }
                $plan->add($change, new SourceCommit(LogPlace::commitAt($n), 0));
            }
            self::assertEquals($source, self::applied($landed, $plan), "round {$round}");
        }
    }

    /**
     * As a target applies them: what takes values from landed rows first, then deletes, then the rest.
     *
     * @param  array<string, list<string|null>>  $landed
     * @return array<string, list<string|null>>
     */
    private static function applied(array $landed, NetChanges $plan): array
    {
        $before = $landed;
        foreach ($plan->net() as $net) {
            if ($net->delete) {
                unset($landed[(string) $net->row[0]]);
            }
        }
        foreach ($plan->net() as $net) {
            if (! $net->delete) {
                $landed[(string) $net->row[0]] = array_map(static fn (int $i): ?string => $net->row[$i] === false ? $before[$net->from[0] ?? ''][$i] : $net->row[$i], [0, 1, 2]);
            }
        }

        return $landed;
    }
}
