<?php

declare(strict_types=1);

namespace Tests\Drills;

use PHPUnit\Framework\Attributes\Test;
use PHPUnit\Framework\Attributes\TestWith;

final class LogKillTest extends LogCase
{
    #[Test]
    #[TestWith(['log'])]
    #[TestWith(['trigger'])]
    public function killed_at_random_points_nothing_is_lost_doubled_or_torn(string $capture): void
    {
        $rounds = (int) (getenv('LIGHTERMAN_DRILL_ROUNDS') ?: 8);
        $seed = (int) (getenv('LIGHTERMAN_DRILL_SEED') ?: random_int(1, 1_000_000));
        mt_srand($seed);
        $told = "(repeat with LIGHTERMAN_DRILL_SEED={$seed})";
        $this->setUpRoute(capture: $capture);
        for ($round = 0; $round < $rounds; $round++) {
            if (! $this->trafficRuns()) {
                $this->startTraffic(4000, $seed + $round);
            }
            $reader = $this->startReader();
            $until = microtime(true) + mt_rand(300_000, 3_500_000) / 1e6;
            while (microtime(true) < $until) {
                usleep(50_000);
                $this->assertWholeTransactions($told);
            }
            $this->kill($reader);
            if ($round === 1) {
                // The first rounds are of first loads, the others of what follows them.
                $this->drain();
            }
        }
        $this->endTraffic();
        $this->drain();
        $this->assertEveryLandingEqual($told);
        self::assertGreaterThan(2000, (int) $this->house->value("SELECT count(*) FROM l.journal WHERE change_kind <> 'load'"), "too little happened to prove anything {$told}");
        // Triggers write down every value, large ones too.
        $capture === 'trigger' || self::assertGreaterThan(0, (int) $this->house->value("SELECT count(*) FROM l.journal WHERE not_sent IS NOT NULL AND (row_before->>'id')::bigint <> id"), "no key was moved with a value not sent {$told}");
    }
}
