<?php

declare(strict_types=1);

namespace Tests\Drills;

use Lighterman\Connectors\Lake\LakeSettings;
use Lighterman\Connectors\Lake\LakeTarget;
use Lighterman\Connectors\Lake\Ledger;
use Lighterman\Connectors\Lake\LocalFolder;
use PHPUnit\Framework\Attributes\Test;

/** Kills a reader of a change log while it lands in a lake. */
final class LakeLogKillTest extends LogCase
{
    protected const ROUTE = 'gate → lake';

    /** Fewer prove nothing. */
    private const CHANGES = 300;

    private LakeTarget $lake;

    private string $path;

    /** @return list<list<string|null>> */
    private function inLake(string $sql): array
    {
        return $this->lake->query($sql, 200_000, 120)->rows;
    }

    #[Test]
    public function every_table_of_the_lake_follows_the_source_through_kills(): void
    {
        $rounds = (int) (getenv('LIGHTERMAN_DRILL_ROUNDS') ?: 5);
        $seed = (int) (getenv('LIGHTERMAN_DRILL_SEED') ?: random_int(1, 1_000_000));
        mt_srand($seed);
        $told = "(repeat with LIGHTERMAN_DRILL_SEED={$seed})";
        $this->path = sys_get_temp_dir().'/drill-lake-'.$this->suffix;
        mkdir($this->path);
        $this->lake = new LakeTarget(new LakeSettings('lake', $this->path, 160, 2, "{$this->path}/_lighterman/spill"));
        try {
            $this->command(['system:add', 'lake', '--kind=lake', "--path={$this->path}"]);
            $this->setUpRoute(6_000, 'log', 'lake', ', write_as: { seconds: 1 }');
            // On a machine with other work nothing may land within a few seconds; then readers live longer.
            for ($round = 0; $round < $rounds || ($round < 6 * $rounds && $this->changes() <= self::CHANGES); $round++) {
                if (! $this->trafficRuns()) {
                    $this->startTraffic(1500, $seed + $round);
                }
                // Files are joined in between, also while it is killed.
                $this->own->run('UPDATE feeds SET join_asked = true');
                $reader = $this->readerThatReads();
                $until = microtime(true) + (1 + intdiv($round, $rounds)) * mt_rand(1_000_000, 5_000_000) / 1e6;
                while (microtime(true) < $until) {
                    usleep(400_000);
                    $this->assertTablesTogether($told);
                }
                $this->kill($reader);
            }
            $this->endTraffic();
            $this->drain();
            $this->assertEqual($told);
            $this->assertNothingLeftOver($told);
        } finally {
            exec('rm -rf '.escapeshellarg($this->path));
        }
    }

    /** @return resource a reader that has taken over from the one that was killed, whose lease has to end first */
    private function readerThatReads()
    {
        $reader = $this->startReader();
        for ($until = microtime(true) + 30; microtime(true) < $until; usleep(100_000)) {
            $status = proc_get_status($reader);
            if (! $status['running']) {
                proc_close($reader);
                $reader = $this->startReader();
            } elseif (str_ends_with((string) $this->own->value('SELECT worker FROM leases WHERE log_id IS NOT NULL'), ":{$status['pid']}")) {
                break;
            }
        }

        return $reader;
    }

    /** Changes that have come into the journal, loads apart. */
    private function changes(): int
    {
        return $this->own->value("SELECT standing FROM feeds WHERE name = 'journal'") === 'carried' ? (int) $this->inLake("SELECT count(*) FROM l.journal WHERE change_kind <> 'load'")[0][0] : 0;
    }

    /** What two tables add up to never changes at the source; a reader of the lake must not see it otherwise. */
    private function assertTablesTogether(string $told): void
    {
        if ($this->own->value("SELECT count(*) FROM feeds WHERE name IN ('paid', 'owed') AND standing = 'carried'") === '2') {
            self::assertSame([['100', '50000']], $this->inLake('SELECT count(*), sum(amount)::BIGINT FROM (SELECT amount FROM l.paid UNION ALL SELECT amount FROM l.owed)'), "a source transaction was seen in part {$told}");
        }
    }

    private function assertEqual(string $told): void
    {
        $row = static fn (string $cast): string => "SELECT id::{$cast}, concat_ws('|', ticket, gross, status, note, md5(big), (extract(epoch FROM updated_at) * 1000000)::bigint) FROM ";
        $expected = array_map(array_values(...), $this->gate->rows($row('text').'loads ORDER BY 1'));
        foreach (['l.kept', 'l.marked WHERE deleted_at IS NULL', 'l.versions WHERE is_current'] as $copy) {
            $is = $this->inLake(str_replace('(extract(epoch FROM updated_at) * 1000000)::bigint', 'epoch_us(updated_at)', $row('varchar')).$copy.' ORDER BY 1');
            self::assertSame([], array_slice(array_diff(array_map(json_encode(...), $expected), array_map(json_encode(...), $is)), 0, 3), "{$copy} {$told}");
            self::assertSame(count($expected), count($is), "{$copy} {$told}");
        }
        self::assertSame([['0']], $this->inLake('SELECT count(*) FROM (SELECT 1 FROM l.journal GROUP BY id, source_position HAVING count(*) > 1)'), "a change is in the journal twice {$told}");
        self::assertSame([['0']], $this->inLake("SELECT count(*) FROM (SELECT valid_from, valid_to, is_current, change_kind, lead(valid_from) OVER (PARTITION BY id ORDER BY source_position) AS next FROM l.versions)
            WHERE valid_to < valid_from OR (change_kind = 'delete' AND (is_current OR valid_to <> valid_from)) OR (change_kind <> 'delete' AND next IS NOT NULL AND valid_to <> greatest(valid_from, next)) OR (change_kind <> 'delete' AND next IS NULL AND (NOT is_current OR valid_to IS NOT NULL))"), "versions of a key do not join {$told}");
        // Every version that is no load is a change in the journal, and the other way about.
        self::assertSame($this->inLake("SELECT count(*) FROM l.journal WHERE change_kind IN ('insert', 'delete')"), $this->inLake("SELECT count(*) FROM l.journal WHERE change_kind IN ('insert', 'delete') AND source_position IN (SELECT source_position FROM l.versions)"), "a change of the journal has no version {$told}");
        self::assertGreaterThan(self::CHANGES, $this->changes(), "too little happened to prove anything {$told}");
        // A lake keeps the latest receipts of a feed; Lighterman's own database must have caught up with all of them.
        self::assertSame('0', $this->own->value('SELECT count(*) FROM (SELECT sequence, from_position::text AS "from", lag(to_position::text) OVER w AS before, row_number() OVER w AS n FROM receipts WINDOW w AS (PARTITION BY feed_id ORDER BY sequence)) r WHERE sequence <> n OR "from" <> before'), "receipts do not join {$told}");
    }

    private function assertNothingLeftOver(string $told): void
    {
        $kept = [];
        foreach ((new Ledger(new LocalFolder('lake', $this->path)))->all() as $page) {
            $kept += $page->kept();
        }
        $there = (new LocalFolder('lake', $this->path))->files('l');
        self::assertSame([[], []], [array_diff($there, array_keys($kept)), array_diff(array_keys($kept), $there)], "files that count nowhere, or are missing {$told}");
    }
}
