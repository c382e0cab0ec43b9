<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Tests;

use Lighterman\Connectors\Pdo\Seen;
use PDO;
use PHPUnit\Framework\Attributes\Test;
use PHPUnit\Framework\TestCase;

/** Readings by number: whatever the order in which numbers become visible, each belongs to exactly one reading. */
final class SeenTest extends TestCase
{
    #[Test]
    public function every_number_belongs_to_exactly_one_reading_whenever_it_was_committed(): void
    {
        mt_srand(20_261_123);
        for ($case = 0; $case < 60; $case++) {
            $pdo = new PDO('sqlite::memory:');
            $pdo->exec('CREATE TABLE changes (seq INTEGER PRIMARY KEY)');
            $pending = range(1, 40);
            $rolledBack = array_rand(array_flip($pending), 5);
            $pending = array_diff($pending, $rolledBack);
            shuffle($pending);
            $before = new Seen(0, []);
            $read = [];
            while ($pending !== []) {
                foreach (array_splice($pending, 0, mt_rand(1, 9)) as $number) {
                    $pdo->exec("INSERT INTO changes VALUES ({$number})");
                }
                $there = $pdo->query('SELECT seq FROM changes')->fetchAll(PDO::FETCH_COLUMN);
                $upTo = max($there);
                $missing = array_map(static fn (int $n): array => [$n, $n, 0], array_values(array_diff(range(1, $upTo), $there)));
                $now = Seen::parse((string) new Seen($upTo, $missing));
                // What is committed between the look and the reading of what it saw must not slip in.
                $extra = $pending === [] ? null : array_shift($pending);
                $extra === null || $pdo->exec("INSERT INTO changes VALUES ({$extra})");
                array_push($read, ...$pdo->query("SELECT seq FROM changes WHERE {$now->since($before)} ORDER BY seq")->fetchAll(PDO::FETCH_COLUMN));
                self::assertSame($there, $pdo->query("SELECT seq FROM changes WHERE {$now->all()} ORDER BY seq")->fetchAll(PDO::FETCH_COLUMN));
                $before = $now;
                if ($pending === [] && $extra !== null) {
                    $last = new Seen(40, array_map(static fn (int $n): array => [$n, $n, 0], array_values($rolledBack)));
                    array_push($read, ...$pdo->query("SELECT seq FROM changes WHERE {$last->since($before)} ORDER BY seq")->fetchAll(PDO::FETCH_COLUMN));
                }
            }
            sort($read);
            self::assertSame(array_values(array_diff(range(1, 40), $rolledBack)), $read);
        }
    }
}
