<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Tests;

use Lighterman\Core\Capture\Capture;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Position\LoadPosition;
use Lighterman\Core\Position\Position;
use Lighterman\Core\Position\StartPosition;
use Lighterman\Core\Position\WatermarkPosition;
use Lighterman\Core\Record\Batch;
use Lighterman\Core\Trouble\SystemTrouble;
use PHPUnit\Framework\Attributes\Test;

final class TableReaderTest extends PostgresCase
{
    /** @return list<Batch> */
    private function readAll(FeedDefinition $feed, Position $from): array
    {
        $reader = $this->source->reader($feed, $this->source->plan($feed, $from, null));
        $batches = [];
        while ($batch = $reader->next()) {
            $batches[] = $batch;
        }
        self::assertNull($reader->next(), 'a reader that has ended stays so');
        $reader->close();

        return $batches;
    }

    /**
     * @param  list<Batch>  $batches
     * @return list<string|null> the first column
     */
    private static function keys(array $batches): array
    {
        $keys = [];
        foreach ($batches as $batch) {
            foreach ($batch->decoded() as $row) {
                $keys[] = $row[0];
            }
        }

        return $keys;
    }

    #[Test]
    public function a_load_reads_across_its_statements_without_gap_or_overlap(): void
    {
        $this->gate->run("CREATE TABLE t (id int PRIMARY KEY, at timestamptz NOT NULL); INSERT INTO t SELECT g, now() - interval '1 day' FROM generate_series(1, 510000) g");
        $batches = $this->readAll($this->feed('t', 'at', ['id']), new StartPosition);

        self::assertSame(510_000, array_sum(array_map(static fn (Batch $b): int => $b->rows, $batches)));
        $before = 0;
        foreach ($batches as $i => $batch) {
            self::assertTrue($i === 0 ? ! $batch->stretch->from->hasBegun() : $batch->stretch->from->equals($batches[$i - 1]->stretch->to));
            if ($batch->rows > 0) {
                self::assertSame((string) ($before + 1), substr($batch->encoded, 0, (int) strpos($batch->encoded, "\t")));
                $before += $batch->rows;
            }
        }
        self::assertInstanceOf(WatermarkPosition::class, end($batches)->stretch->to);
        self::assertGreaterThan(2, count(array_filter($batches, static fn (Batch $b): bool => $b->stretch->closes)), 'several units');
    }

    #[Test]
    public function rows_longer_than_a_piece_come_whole(): void
    {
        $this->gate->run('CREATE TABLE t (id int PRIMARY KEY, x text); INSERT INTO t SELECT g, repeat(chr(96 + g), CASE WHEN g % 2 = 0 THEN 900000 ELSE 3 END) FROM generate_series(1, 9) g');
        $batches = $this->readAll($this->feed('t', null, ['id'], Landing::Replace), new StartPosition);
        self::assertSame(array_map(strval(...), range(1, 9)), self::keys($batches));
        foreach ($batches as $batch) {
            foreach ($batch->decoded() as [$id, $x]) {
                self::assertSame((int) $id % 2 === 0 ? 900_000 : 3, strlen((string) $x));
            }
        }
        self::assertCount(1, array_filter($batches, static fn (Batch $b): bool => $b->stretch->closes), 'a reload is one unit');
    }

    #[Test]
    public function a_load_resumes_after_any_of_its_batches(): void
    {
        $this->gate->run("CREATE TABLE t (a text, b int, pad text, at timestamptz NOT NULL, PRIMARY KEY (a, b)); INSERT INTO t SELECT 'k' || g % 7, g, repeat('x', 700), now() - interval '1 day' FROM generate_series(1, 3000) g");
        $feed = $this->feed('t', 'at', ['a', 'b']);
        $whole = $this->readAll($feed, new StartPosition);
        self::assertGreaterThan(4, count($whole));
        foreach ($whole as $i => $batch) {
            if ($batch->stretch->to->isLoading()) {
                $rest = $this->readAll($feed, $batch->stretch->to);
                self::assertSame(array_sum(array_map(static fn (Batch $b): int => $b->rows, array_slice($whole, $i + 1))), array_sum(array_map(static fn (Batch $b): int => $b->rows, $rest)));
                self::assertTrue(end($rest)->stretch->to->equals(end($whole)->stretch->to), 'and ends at the bound the load was given');
            }
        }
    }

    #[Test]
    public function an_empty_table_reads_as_one_empty_batch_that_closes(): void
    {
        $this->gate->run('CREATE TABLE t (id int PRIMARY KEY, at timestamptz NOT NULL)');
        $batches = $this->readAll($this->feed('t', 'at', ['id']), new StartPosition);
        self::assertCount(1, $batches);
        self::assertSame([0, true], [$batches[0]->rows, $batches[0]->stretch->closes]);
        self::assertInstanceOf(WatermarkPosition::class, $batches[0]->stretch->to);
    }

    #[Test]
    public function values_of_rows_and_the_password_stay_out_of_the_process_list(): void
    {
        $this->gate->run("CREATE TABLE t (code text PRIMARY KEY, at timestamptz NOT NULL, pad text); INSERT INTO t SELECT 'personal-' || g, now() - interval '1 day', repeat('x', 5000) FROM generate_series(1, 4000) g");
        $feed = $this->feed('t', 'at', ['code']);
        $reader = $this->source->reader($feed, $this->source->plan($feed, new LoadPosition('2999-01-01', ['personal-1'], 't'), null));
        $reader->next();
        $seen = 0;
        foreach (glob('/proc/[0-9]*/cmdline') ?: [] as $file) {
            $line = (string) @file_get_contents($file);
            $seen += (int) str_contains($line, "psql\0-X");
            self::assertFalse(str_contains($line, 'psql') && str_contains($line, 'personal-1'));
            self::assertFalse(str_contains($line, (string) getenv('LIGHTERMAN_TEST_PG_PASSWORD')) && str_contains($line, 'psql'));
        }
        self::assertGreaterThan(0, $seen, 'the reading child was looked at');
        $reader->close();
        $reader->close();
    }

    #[Test]
    public function a_reading_that_the_server_ends_says_why_and_can_be_closed(): void
    {
        $this->gate->run("CREATE TABLE t (id int PRIMARY KEY, at timestamptz NOT NULL); INSERT INTO t VALUES (1, now() - interval '1 day'); CREATE VIEW v AS SELECT id, at, 1 / (id - 1) AS part FROM t");
        $feed = $this->feed('v', null, ['id'], Landing::Replace, ['capture' => Capture::Reload]);
        $reader = $this->source->reader($feed, $this->source->plan($feed, new StartPosition, null));
        try {
            while ($reader->next() !== null) {
                continue;
            }
            self::fail('it was read');
        } catch (SystemTrouble $trouble) {
            self::assertStringContainsString('division by zero', $trouble->getMessage());
        }
        $reader->close();
    }
}
