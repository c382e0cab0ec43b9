<?php

declare(strict_types=1);

namespace Lighterman\Core\Tests\Landing;

use Lighterman\Core\Landing\Change;
use Lighterman\Core\Landing\KeyOf;
use Lighterman\Core\Landing\SourceCommit;
use Lighterman\Core\Landing\Version;
use Lighterman\Core\Landing\VersionChain;
use Lighterman\Core\Landing\Versions;
use Lighterman\Core\Position\LogPlace;
use PHPUnit\Framework\Attributes\Test;
use PHPUnit\Framework\TestCase;

final class VersionChainTest extends TestCase
{
    private static function version(int $place, int $from, string $kind = 'update'): Version
    {
        return new Version($kind, ['1', "v{$place}"], null, sprintf('%04d', $place), $from);
    }

    #[Test]
    public function each_version_is_valid_until_the_next_and_the_last_is_current(): void
    {
        $chain = VersionChain::linked([self::version(1, 10), self::version(2, 20), self::version(3, 30)]);
        self::assertSame([20, 30, null], array_map(static fn (Version $v): ?int => $v->validTo, $chain));
        self::assertSame([false, false, true], array_map(static fn (Version $v): bool => $v->current(), $chain));
    }

    #[Test]
    public function a_delete_ends_the_chain_and_is_itself_valid_for_no_time(): void
    {
        $chain = VersionChain::linked([self::version(1, 10), self::version(2, 20, 'delete')]);
        self::assertSame([20, 20], array_map(static fn (Version $v): ?int => $v->validTo, $chain));
        self::assertSame([], array_filter($chain, static fn (Version $v): bool => $v->current()));
    }

    #[Test]
    public function no_version_ends_before_it_begins_even_where_clocks_run_against_the_order_of_commits(): void
    {
        $chain = VersionChain::linked([self::version(1, 50), self::version(2, 40), self::version(3, 60)]);
        self::assertSame([50, 60, null], array_map(static fn (Version $v): ?int => $v->validTo, $chain));
    }

    #[Test]
    public function the_order_of_arrival_and_repeats_make_no_difference(): void
    {
        for ($round = 0; $round < 200; $round++) {
            mt_srand($round);
            $all = [];
            for ($n = 0, $count = mt_rand(1, 9); $n < $count; $n++) {
                $all[] = self::version($n, 10 * $n + mt_rand(-8, 8), mt_rand(0, 3) === 0 ? 'delete' : 'update');
            }
            $mixed = [...$all, ...array_slice($all, 0, mt_rand(0, $count))];
            shuffle($mixed);
            $chain = VersionChain::linked($mixed);
            self::assertEquals(VersionChain::linked($all), $chain, "round {$round}");
            self::assertEquals($chain, VersionChain::linked($chain), 'linking again changes nothing');
            self::assertLessThanOrEqual(1, count(array_filter($chain, static fn (Version $v): bool => $v->current())));
        }
    }

    #[Test]
    public function every_change_becomes_a_version_with_what_was_not_sent_taken_from_the_one_before(): void
    {
        $plan = new Versions(new KeyOf([0]));
        $plan->add(new Change('insert', null, ['1', 'a', 'large'], 1), new SourceCommit(LogPlace::commitAt(5), 100));
        $plan->add(new Change('update', null, ['1', 'b', false], 1), new SourceCommit(LogPlace::commitAt(6), 200));
        $plan->add(new Change('update', null, ['2', 'c', false], 2), new SourceCommit(LogPlace::commitAt(6), 200));
        [$one, $two] = [...$plan->chains()];
        self::assertSame([['1', 'a', 'large'], ['1', 'b', 'large']], array_map(static fn (Version $v): array => $v->row, $one));
        self::assertSame([['2', 'c', false], ['2']], [$two[0]->row, $two[0]->from]);
        self::assertSame([3, 3], [$plan->changes(), $plan->lines()]);
    }

    #[Test]
    public function a_moved_key_ends_one_chain_and_goes_on_in_another(): void
    {
        $plan = new Versions(new KeyOf([0]));
        $plan->add(new Change('insert', null, ['1', 'a'], 1), new SourceCommit(LogPlace::commitAt(5), 100));
        $plan->add(new Change('update', ['1', false], ['2', 'a'], 1), new SourceCommit(LogPlace::commitAt(6), 200));
        [$old, $new] = [...$plan->chains()];
        self::assertSame([['insert', 200], ['delete', 200]], array_map(static fn (Version $v): array => [$v->kind, $v->validTo], $old));
        self::assertSame([['update', null]], array_map(static fn (Version $v): array => [$v->kind, $v->validTo], $new));
    }
}
