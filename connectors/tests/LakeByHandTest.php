<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Tests;

use Lighterman\Connectors\Lake\LakeTarget;
use Lighterman\Core\Carrying\RowDelivery;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Landing\FileWriting;
use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Port\Holder;
use Lighterman\Core\Port\LeaseLost;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Trouble\SystemTrouble;
use PHPUnit\Framework\Attributes\Test;
use PHPUnit\Framework\Attributes\TestWith;

/** What others do to a lake: two feeds on one table, pages and files that somebody takes away or damages. */
final class LakeByHandTest extends LakeCase
{
    private function loads(int $rows): void
    {
        $this->gate->run('CREATE TABLE IF NOT EXISTS loads (id int PRIMARY KEY, kg int, updated_at timestamptz NOT NULL DEFAULT now())');
        $this->gate->run("INSERT INTO loads SELECT g, g * 2, now() - interval '1 day' FROM generate_series(1, {$rows}) g");
    }

    /** @param  array<string, mixed>  $more */
    private function upsert(string $name, array $more = []): FeedDefinition
    {
        return $this->lakeFeed('loads', 'updated_at', ['id'], Landing::Upsert, [], ['name' => $name, ...$more]);
    }

    private function refused(callable $do): SystemTrouble
    {
        try {
            $do();
        } catch (SystemTrouble $trouble) {
            return $trouble;
        }
        self::fail('It was not refused.');
    }

    private function touch(string $change): void
    {
        $this->gate->run($change);
        $this->settle();
    }

    /** @return list<list<string|null>> */
    private function rows(): array
    {
        return $this->lake->query('SELECT id, kg FROM gate.loads ORDER BY id', 10_000, 30)->rows;
    }

    /** @return list<list<string|null>> */
    private function atSource(): array
    {
        return array_map(array_values(...), $this->gate->rows('SELECT id, kg FROM loads ORDER BY id'));
    }

    #[Test]
    public function a_table_belongs_to_one_feed_and_is_taken_over_only_where_that_is_asked_for(): void
    {
        $this->loads(20);
        $first = $this->upsert('first');
        $this->carry($first, into: $this->lake);
        // Another Lighterman has a target of its own, and knows nothing of the first feed.
        $elsewhere = new LakeTarget($this->lakeSettings());
        self::assertStringContainsString('gate.loads belongs to another feed (feed-fir', $elsewhere->prepare($this->upsert('second')->landedTable())->obstacles()[0]->said);
        self::assertStringContainsString('belongs to another feed', $this->refused(fn () => $this->carry($this->upsert('second'), into: $elsewhere))->getMessage());
        self::assertSame([], $this->lake->prepare($first->landedTable(), 'feed-first')->obstacles());

        $this->touch('UPDATE loads SET kg = 0, updated_at = clock_timestamp() WHERE id = 3; DELETE FROM loads WHERE id = 4');
        $second = $this->upsert('second', ['takeOver' => true]);
        self::assertSame([], $elsewhere->prepare($second->landedTable())->obstacles());
        $this->note = null;
        $this->carry($second, into: $elsewhere);
        $expected = $this->atSource();
        array_splice($expected, 3, 0, [['4', '8']]);
        self::assertSame($expected, $this->rows(), 'rows that were there stay, and those with the same key take their place');

        $said = $this->refused(fn () => $this->carry($first, 2, $this->lake));
        self::assertStringContainsString('gate.loads was taken over by another feed (feed-sec', $said->getMessage());
        self::assertStringContainsString('Remove this feed.', (string) $said->remedy());
        self::assertStringContainsString('taken over', $this->refused(fn () => $this->lake->demandKept($first->landedTable(), 'feed-first'))->getMessage());
        // Both may ask for it: who had it does not get it back by that.
        self::assertStringContainsString('taken over', $this->refused(fn () => $this->carry($this->upsert('first', ['takeOver' => true]), 3, $this->lake))->getMessage());
        self::assertSame(1, $elsewhere->demandKept($second->landedTable(), 'feed-second'));
        $files = array_map(static fn (string $n): string => substr($n, 2), $this->dataFiles());
        self::assertSame([], array_diff($this->counted('gate.loads'), $files));

        $elsewhere->discard('feed-second');
        self::assertSame([], $this->dataFiles());
        self::assertStringContainsString('taken over by another feed, which is gone', $this->refused(fn () => $this->carry($first, 4, $this->lake))->getMessage());
        $this->note = null;
        $this->carry($this->upsert('third'), into: $this->lake);
        self::assertSame($this->atSource(), $this->rows());
    }

    #[Test]
    public function whoever_lands_while_a_table_is_taken_over_commits_nothing_more(): void
    {
        $this->loads(20);
        $first = $this->upsert('first');
        $this->carry($first, into: $this->lake);
        $session = RowDelivery::open($this->lake, $first->landedTable(), Holder::feed('feed-first', 1));
        $this->touch('UPDATE loads SET kg = kg + 1, updated_at = clock_timestamp()');
        $batch = $this->source->reader($first, $this->source->plan($first, $session->position(), null))->next();
        self::assertNotNull($batch);
        $this->note = null;
        $this->carry($this->upsert('second', ['takeOver' => true]), into: $this->lake);
        try {
            $session->land($batch, 1, 0.0);
            $session->settle();
            self::fail('It committed.');
        } catch (LeaseLost) {
            $session->close();
        }
        self::assertSame($this->atSource(), $this->rows());
    }

    #[Test]
    public function an_older_state_that_was_put_back_is_noticed_by_its_number(): void
    {
        $this->loads(5);
        $feed = $this->upsert('loads');
        $this->carry($feed, into: $this->lake);
        $this->touch('INSERT INTO loads VALUES (100, 1, clock_timestamp())');
        $this->carry($feed, into: $this->lake);
        self::assertSame(2, $this->lake->demandKept($feed->landedTable(), 'feed-loads'));
        // Each run takes the book, and lands: two pages. Without those of the last one it is the run before that counts.
        foreach (array_slice(glob("{$this->path}/_lighterman/feeds/feed-loads/*.json") ?: [], -2) as $page) {
            unlink($page);
        }
        self::assertSame([1, 5], [$this->lake->demandKept($feed->landedTable(), 'feed-loads'), $this->lake->count($feed->destination->table)]);
        $this->touch('INSERT INTO loads VALUES (101, 1, clock_timestamp())');
        $this->carry($feed, into: $this->lake);
        self::assertSame($this->atSource(), $this->rows());
    }

    #[Test]
    public function a_page_that_is_taken_away_while_its_holder_lands_is_not_missed(): void
    {
        $this->loads(5);
        $feed = $this->upsert('loads');
        $session = RowDelivery::open($this->lake, $feed->landedTable(), Holder::feed('feed-loads', 1));
        $next = function () use ($session, $feed): void {
            $reader = $this->source->reader($feed, $this->source->plan($feed, $session->position(), null));
            while ($batch = $reader->next()) {
                $session->land($batch, 1, 0.0);
            }
            $session->settle();
        };
        $next();
        $this->touch('INSERT INTO loads VALUES (100, 1, clock_timestamp())');
        $next();
        $pages = glob("{$this->path}/_lighterman/feeds/feed-loads/*.json") ?: [];
        unlink((string) end($pages));
        $this->touch('INSERT INTO loads VALUES (101, 1, clock_timestamp())');
        $next();
        $session->close();
        self::assertSame($this->atSource(), $this->rows());
    }

    #[Test]
    #[TestWith(['cut'])]
    #[TestWith(['altered'])]
    public function a_damaged_page_is_named_and_holds_up_its_own_feed_only(string $how): void
    {
        $this->loads(5);
        $this->gate->run('CREATE TABLE other (id int PRIMARY KEY); INSERT INTO other VALUES (1)');
        $feed = $this->upsert('loads');
        $other = $this->lakeFeed('other', null, ['id'], Landing::Replace);
        $this->carry($feed, into: $this->lake);
        $this->carry($other, into: $this->lake);
        $pages = glob("{$this->path}/_lighterman/feeds/feed-loads/*.json") ?: [];
        $page = (string) end($pages);
        $text = (string) file_get_contents($page);
        file_put_contents($page, $how === 'cut' ? substr($text, 0, intdiv(strlen($text), 2)) : str_replace('"rows":5', '"rows":6', $text));

        self::assertSame([['1']], $this->lake->query('SELECT id FROM gate.other', 10, 30)->rows);
        self::assertSame(['gate.other'], array_keys($this->lake->kept()));
        $this->carry($other, into: $this->lake);
        foreach ([fn () => $this->carry($feed, into: $this->lake), fn () => $this->lake->count(new TableName('gate', 'loads')), fn () => $this->lake->query('SELECT * FROM gate.loads', 1, 30), fn () => $this->lake->scan()] as $do) {
            $said = $this->refused($do);
            self::assertStringContainsString("{$page} is not as it was written", $said->getMessage());
            self::assertStringContainsString('remove it', (string) $said->remedy());
        }
        unlink($page);
        $this->note = null;
        $this->carry($feed, into: $this->lake);
        self::assertSame($this->atSource(), $this->rows());
    }

    #[Test]
    #[TestWith([['format' => 'parquet', 'packed' => 'none']])]
    #[TestWith([['format' => 'jsonl']])]
    public function a_file_of_the_same_length_with_other_contents_is_never_rewritten(array $as): void
    {
        $this->loads(5);
        $feed = $this->upsert('loads', ['writing' => FileWriting::fromArray($as)]);
        $this->carry($feed, into: $this->lake);
        $file = "{$this->path}/".$this->counted('gate.loads')[0];
        $was = (string) file_get_contents($file);
        // A number within the rows, and not among what describes them.
        $at = (int) strpos($was, $as['format'] === 'jsonl' ? '"kg":8' : pack('V', 8)) + ($as['format'] === 'jsonl' ? 5 : 0);
        file_put_contents($file, substr_replace($was, $as['format'] === 'jsonl' ? '9' : pack('V', 9), $at, $as['format'] === 'jsonl' ? 1 : 4));
        $this->touch('UPDATE loads SET kg = 1000, updated_at = clock_timestamp() WHERE id = 1');
        $said = $this->refused(fn () => $this->carry($feed, into: $this->lake));
        self::assertSame(['damaged_file', true], [$said->reason->value, str_contains($said->getMessage(), $file)]);
        self::assertFileExists($file);
        file_put_contents($file, $was);
        $this->carry($feed, into: $this->lake);
        self::assertSame($this->atSource(), $this->rows());
    }
}
