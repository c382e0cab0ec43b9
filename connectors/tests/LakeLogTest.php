<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Tests;

use Lighterman\Connectors\Lake\LakeSettings;
use Lighterman\Connectors\Lake\LakeTarget;
use Lighterman\Connectors\Lake\LocalFolder;
use Lighterman\Core\Landing\Change;
use Lighterman\Core\Landing\FileWriting;
use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Landing\Partition;
use Lighterman\Core\Landing\SourceCommit;
use Lighterman\Core\Port\FeedRefused;
use Lighterman\Core\Port\Holder;
use Lighterman\Core\Port\JoinedFiles;
use Lighterman\Core\Port\LandingSession;
use Lighterman\Core\Port\LeaseLost;
use Lighterman\Core\Port\TargetSystem;
use Lighterman\Core\Position\LogPlace;
use Lighterman\Core\Position\StreamPosition;
use Lighterman\Core\Record\Arrival;
use Lighterman\Core\Treatment\Treatment;
use PHPUnit\Framework\Attributes\DataProvider;
use PHPUnit\Framework\Attributes\Test;
use Random\Engine\Mt19937;
use Random\Randomizer;

/** Changes of a log on their way into a lake. */
final class LakeLogTest extends ChangeLandingCase
{
    private string $path;

    private LakeTarget $lake;

    protected function setUp(): void
    {
        parent::setUp();
        $this->path = sys_get_temp_dir().'/lake-'.bin2hex(random_bytes(5));
        mkdir($this->path);
        $this->lake = new LakeTarget(new LakeSettings('lake', $this->path, 160, 2, "{$this->path}/_lighterman/spill"));
    }

    protected function tearDown(): void
    {
        exec('rm -rf '.escapeshellarg($this->path));
        parent::tearDown();
    }

    protected function into(): TargetSystem
    {
        return $this->lake;
    }

    protected function landed(string $sql): array
    {
        $result = $this->lake->query($sql, 100_000, 60);

        return array_map(static fn (array $row): array => array_combine(array_column($result->columns, 'name'), $row), $result->rows);
    }

    /** @return list<string> files that lie in the lake and those that count, apart from those that wait for their readers */
    private function strays(): array
    {
        $counted = [];
        foreach ($this->lake->tables() as $table) {
            $counted += $table->names();
        }
        $page = json_decode((string) file_get_contents((string) array_slice(glob("{$this->path}/_lighterman/routes/route/*.json") ?: [], -1)[0]), true, 64, JSON_THROW_ON_ERROR);
        $retired = array_merge([], ...array_values(array_map(static fn (array $f): array => array_keys($f['retired']), $page['feeds'])));

        return array_values(array_diff((new LocalFolder('lake', $this->path))->files('gate'), array_keys($counted), $retired));
    }

    #[Test]
    #[DataProvider('landings')]
    public function random_changes_in_deliveries_of_any_size_leave_what_the_source_has(Landing $landing): void
    {
        $seed = random_int(1, PHP_INT_MAX);
        $random = new Randomizer(new Mt19937($seed));
        $this->orders();
        foreach ([[], ['format' => 'jsonl']] as $n => $as) {
            $feed = $this->logFeed('public.orders', ['id'], $landing, ['landed' => new \Lighterman\Core\Shape\TableName('gate', "orders{$n}"), 'name' => "orders {$n}", 'partitionBy' => Partition::all(['state']), 'writing' => FileWriting::fromArray($as)]);
            $session = $this->landing($feed);
            for ($delivery = 0; $delivery < 5; $delivery++) {
                // One change that is sure to be one: the statements below may all find nothing to do.
                $this->gate->run("INSERT INTO orders VALUES (1000 + {$delivery}, 's0', 'p')");
                for ($i = $random->getInt(1, 40); $i > 0; $i--) {
                    $id = $random->getInt(1, 12);
                    $this->gate->run(['INSERT INTO orders VALUES ('.$id.", 's".$random->getInt(0, 2)."', repeat('p', ".$random->getInt(1, 4000).')) ON CONFLICT (id) DO NOTHING', "UPDATE orders SET state = 's".$random->getInt(0, 2)."' WHERE id = {$id}", "DELETE FROM orders WHERE id = {$id}", "UPDATE orders SET id = id + 100 WHERE id = {$id} AND NOT EXISTS (SELECT 1 FROM orders WHERE id = {$id} + 100)", 'UPDATE orders SET paper = repeat('."'q', ".$random->getInt(1, 4000).") WHERE id > {$id}"][$random->getInt(0, 4)]);
                }
                $receipt = $this->land($session, $feed);
                self::assertSame($delivery + 1, $receipt->sequence);
                $current = $landing === Landing::Versions ? ' WHERE is_current' : '';
                self::assertSame($this->gate->rows('SELECT id, state, md5(paper) AS paper FROM orders ORDER BY id'), $this->landed("SELECT id, state, md5(paper) AS paper FROM gate.orders{$n}{$current} ORDER BY id"), "seed {$seed}");
            }
            if ($landing === Landing::Versions) {
                self::assertSame([['n' => '0']], $this->landed("SELECT count(*) AS n FROM (SELECT valid_to, change_kind, valid_from, lead(valid_from) OVER (PARTITION BY id ORDER BY source_position) AS next FROM gate.orders{$n}) WHERE change_kind <> 'delete' AND valid_to IS DISTINCT FROM greatest(next, valid_from) AND NOT (next IS NULL AND valid_to IS NULL)"), "chains join (seed {$seed})");
            }
            self::assertSame([], $this->strays());
            $session->close();
            $this->gate->run('DELETE FROM orders');
            $this->read();
        }
    }

    #[Test]
    public function all_tables_of_a_route_commit_together_and_an_older_token_not_at_all(): void
    {
        $this->orders();
        $upsert = $this->logFeed('public.orders', ['id']);
        $journal = $this->logFeed('public.orders', ['id'], Landing::Append);
        $old = $this->landing($upsert, $journal);
        $this->gate->run("INSERT INTO orders VALUES (1, 'a')");
        $plans = [];
        $commit = new SourceCommit(LogPlace::commitAt(1), 1);
        foreach ([$upsert, $journal] as $feed) {
            $plans[$feed->name] = self::plan($feed);
            $plans[$feed->name]->add(new Change('insert', null, ['1', 'a', null], 1), $commit);
        }
        $old->begin();
        foreach ($plans as $name => $plan) {
            $old->apply($name, $plan);
        }
        $new = $this->lake->landing(Holder::route('route', 2));
        try {
            $old->commit([new Arrival($upsert->name, StreamPosition::at('0/1')), new Arrival($journal->name, StreamPosition::at('0/1'))], LogPlace::before(1), null);
            self::fail('It committed.');
        } catch (LeaseLost) {
            self::assertSame([0, 0], [$this->lake->count($upsert->destination->table), $this->lake->count($journal->destination->table)]);
        }
        $new->close();
        $again = $this->lake->landing(Holder::route('route', 3));
        self::assertSame([], $this->strays(), 'what never counted is swept');
        foreach ([$upsert, $journal] as $feed) {
            $again->admit($feed->landedTable(), $feed->name);
        }
        $again->begin();
        foreach ($plans as $name => $plan) {
            $again->apply($name, $plan);
        }
        $again->commit([new Arrival($upsert->name, StreamPosition::at('0/1')), new Arrival($journal->name, StreamPosition::at('0/1'))], LogPlace::before(7), null);
        self::assertSame([1, 1, '0/7'], [$this->lake->count($upsert->destination->table), $this->lake->count($journal->destination->table), $again->position()]);

        // A feed that begins anew leaves the others alone, while they go on.
        $this->lake->discard($upsert->name);
        $again->begin();
        $plans[$journal->name]->clear();
        $plans[$journal->name]->add(new Change('insert', null, ['2', 'b', null], 1), new SourceCommit(LogPlace::commitAt(2), 2));
        $again->apply($journal->name, $plans[$journal->name]);
        $again->commit([new Arrival($journal->name, StreamPosition::at('0/2'))], LogPlace::before(8), null);
        self::assertSame(['gate.orders_append'], array_keys($this->lake->tables()));
        self::assertSame([2, 2], [$this->lake->count($journal->destination->table), $again->sequence($journal->name)]);
        $again->close();
    }

    #[Test]
    public function no_file_is_left_by_what_is_joined_at_once_fails_or_has_lost_its_lease(): void
    {
        $this->orders();
        [$upsert, $journal] = [$this->logFeed('public.orders', ['id']), $this->logFeed('public.orders', ['id'], Landing::Append)];
        $session = $this->landing($upsert, $journal);
        $deliver = function (LandingSession $session, int $lsn, string $state) use ($upsert, $journal): void {
            $session->begin();
            foreach ([$journal, $upsert] as $feed) {
                $plan = self::plan($feed);
                $plan->add(new Change('insert', null, [$feed === $upsert ? $state : '7', 's', null], 1), new SourceCommit(LogPlace::commitAt($lsn), $lsn));
                $session->apply($feed->name, $plan);
            }
            $session->commit([new Arrival($journal->name, StreamPosition::at("0/{$lsn}")), new Arrival($upsert->name, StreamPosition::at("0/{$lsn}"))], LogPlace::before($lsn), null);
        };
        for ($lsn = 1; $lsn <= 12; $lsn++) {
            $deliver($session, $lsn, (string) $lsn);
        }
        self::assertSame([1, 12], [count($this->lake->tables()['gate.orders_append']->files), $this->lake->count($journal->destination->table)], 'the twelfth file was joined with those before it');
        self::assertSame([], $this->strays());

        // Between two deliveries small files are joined when somebody asks.
        $deliver($session, 13, '13');
        self::assertEquals(new JoinedFiles(2, 1), $session->join($journal->name));
        self::assertNull($session->join($journal->name));
        $deliver($session, 14, '14');
        self::assertSame([2, 14, 14, []], [count($this->lake->tables()['gate.orders_append']->files), $this->lake->count($journal->destination->table), $session->sequence($journal->name), $this->strays()]);

        // The journal's file is made before the other table refuses its row.
        try {
            $deliver($session, 15, 'fifteen');
            self::fail('It landed.');
        } catch (FeedRefused) {
            $session->rollback();
        }
        self::assertSame([14, []], [$this->lake->count($journal->destination->table), $this->strays()]);

        // The lease goes after the last look at it: between the first table's files and the page.
        $session->begin();
        $this->lake->landing(Holder::route('route', 2))->close();
        $plan = self::plan($journal);
        $plan->add(new Change('insert', null, ['15', 's', null], 1), new SourceCommit(LogPlace::commitAt(15), 15));
        try {
            // Its folder for files on their way was cleared away, so that it is told at once.
            $session->apply($journal->name, $plan);
            $session->commit([new Arrival($journal->name, StreamPosition::at('0/15'))], LogPlace::before(15), null);
            self::fail('It committed.');
        } catch (LeaseLost) {
            self::assertSame([14, []], [$this->lake->count($journal->destination->table), $this->strays()]);
        }
        $session->close();
    }

    #[Test]
    public function rows_that_a_load_does_not_bring_are_swept_even_if_it_outlives_the_process(): void
    {
        $this->orders();
        $token = 0;
        foreach ([Landing::Upsert, Landing::Versions] as $landing) {
            $feed = $this->logFeed('public.orders', ['id'], $landing);
            $session = $this->lake->landing(Holder::route('route', ++$token));
            $session->admit($feed->landedTable(), $feed->name);
            $put = function (LandingSession $session, array $ids, int $lsn) use ($feed): void {
                $plan = self::plan($feed);
                foreach ($ids as $n => $id) {
                    $plan->add(new Change('load', null, [(string) $id, 'x', null], $n), new SourceCommit(LogPlace::commitAt($lsn), $lsn * 1_000_000));
                }
                $session->apply($feed->name, $plan);
            };
            $session->begin();
            $put($session, [1, 2, 3, 4], 1);
            $session->commit([new Arrival($feed->name, StreamPosition::at('0/1'))], LogPlace::before(1), null);
            $session->noteKeys($feed->name, whole: true);
            $session->begin();
            $put($session, [1], 2);
            $session->commit([new Arrival($feed->name, StreamPosition::at('0/2'))], LogPlace::before(2), null);
            $late = $session;
            $session = $this->lake->landing(Holder::route('route', ++$token));
            $session->admit($feed->landedTable(), $feed->name);
            try {
                $late->noteKeys($feed->name, whole: true);
                self::fail('It was noted.');
            } catch (LeaseLost) {
                $late->close();
            }
            $session->begin();
            $put($session, [3], 3);
            $session->sweep($feed->name, new SourceCommit(LogPlace::commitAt(3), 3_000_000));
            $receipt = $session->commit([new Arrival($feed->name, StreamPosition::at('0/3'))], LogPlace::before(3), null)[$feed->name];
            $current = $landing === Landing::Versions ? ' WHERE is_current' : '';
            self::assertSame([['ids' => '1,3']], $this->landed("SELECT string_agg(id, ',' ORDER BY id) AS ids FROM {$feed->destination->table}{$current}"));
            self::assertSame(3, $receipt->read);
            self::assertSame([], glob("{$this->path}/_lighterman/seen/*"), 'what was seen is forgotten');
            $session->close();
        }
    }

    #[Test]
    public function what_does_not_fit_names_its_feed_and_forks_are_refused(): void
    {
        $this->gate->run('CREATE TABLE odd (id int PRIMARY KEY, n numeric(8,2))');
        $this->log->ensure([], true);
        $this->gate->run('ALTER PUBLICATION lighterman_test ADD TABLE odd');
        $feed = $this->logFeed('public.odd', ['id']);
        $session = $this->landing($feed);
        $this->gate->run("INSERT INTO odd VALUES (1, 'NaN')");
        try {
            $this->land($session, $feed);
            self::fail('It landed.');
        } catch (FeedRefused $refused) {
            self::assertSame([$feed->name, true], [$refused->feed, str_contains($refused->getMessage(), 'NaN')]);
        }
        $session->rollback();
        $session->close();
        $forked = $this->logFeed('public.odd', ['id'], more: ['treatment' => Treatment::fromArray(['failing' => 'set_aside', 'otherwise' => 'land', 'forks' => [['when' => 'n < 100', 'landed' => 'gate.small']]])]);
        self::assertStringContainsString('cannot be parted by forks', $this->lake->prepare($forked->landedTable(), $feed->name)->obstacles()[0]->said);
    }
}
