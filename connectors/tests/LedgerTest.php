<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Tests;

use Lighterman\Connectors\Lake\BookPage;
use Lighterman\Connectors\Lake\DataFile;
use Lighterman\Connectors\Lake\Era;
use Lighterman\Connectors\Lake\LandedFiles;
use Lighterman\Connectors\Lake\Ledger;
use Lighterman\Connectors\Lake\LocalFolder;
use Lighterman\Connectors\Lake\Page;
use Lighterman\Core\Landing\FileWriting;
use Lighterman\Core\Port\LeaseLost;
use Lighterman\Core\Position\LogPlace;
use Lighterman\Core\Position\StartPosition;
use Lighterman\Core\Position\StreamPosition;
use Lighterman\Core\Record\Arrival;
use Lighterman\Core\Record\Counts;
use Lighterman\Core\Record\Receipt;
use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Shape\Type;
use PHPUnit\Framework\Attributes\Test;
use PHPUnit\Framework\TestCase;

/** The books of a lake: numbered pages, each written whole and once. */
final class LedgerTest extends TestCase
{
    private string $path;

    private LocalFolder $folder;

    private Ledger $ledger;

    protected function setUp(): void
    {
        $this->path = sys_get_temp_dir().'/ledger-'.bin2hex(random_bytes(5));
        mkdir($this->path);
        $this->folder = new LocalFolder('lake', $this->path);
        $this->ledger = new Ledger($this->folder);
    }

    protected function tearDown(): void
    {
        exec('rm -rf '.escapeshellarg($this->path));
    }

    /** @param  array<string, int>  $files  bytes by name */
    private static function table(array $files): LandedFiles
    {
        return new LandedFiles(['part'], array_map(static fn (string $n, int $bytes): DataFile => new DataFile($n, 10, $bytes, DataFile::partitionOf($n), 1), array_keys($files), array_values($files)),
            [new Era('2026-11-01T00:00:00Z', new Shape([new Column('id', Type::parse('int32'), false)], ['id']), FileWriting::fromArray(['format' => 'avro', 'packed' => 'deflate']))]);
    }

    private static function receipt(int $sequence): Receipt
    {
        return new Receipt($sequence, new StartPosition, new Arrival('f', StreamPosition::at('0/'.$sequence), 1), 3, new Counts(2, 1, bytes: 99, checksum: 'abc'), '2026-11-28 00:00:00+00', '2026-11-28 00:00:01+00');
    }

    #[Test]
    public function a_page_says_everything_and_reads_back_the_same(): void
    {
        $page = Page::first('f-1', 4)->landed(self::receipt(1), ['gate.loads' => self::table(["gate/loads/part=a%2Fb%3D'c/f1-1-4-0-0.avro" => 7, 'gate/loads/part='.DataFile::NONE.'/f1-1-4-0-1.avro' => 8])], 1_000, 5);
        $own = BookPage::first('feeds/f-1')->claimed(4, 0)->landed(['f-1' => $page], null);
        $this->ledger->write($own);
        self::assertEquals($own, $this->ledger->last('feeds/f-1'));
        self::assertSame(["a/b='c", null], array_map(static fn (DataFile $f): ?string => $f->partition['part'], $page->tables['gate.loads']->files));
        $route = (new BookPage('routes/r', 1, 2, '0/4D', []))->landed(['f-2' => $page], LogPlace::before(78));
        $this->ledger->write($route);
        self::assertEquals($route, $this->ledger->last('routes/r'));
        self::assertSame(['0/4E', 'routes/r', 'feeds/f-1', null], [$route->place, $this->ledger->bookOf('f-2')?->book, $this->ledger->bookOf('f-1')?->book, $this->ledger->bookOf('f-3')]);
        self::assertSame(['gate.loads'], array_keys($this->ledger->landed()));
        self::assertSame([null, null], [$this->ledger->last('feeds/nobody'), $this->ledger->last('routes/nobody')]);
    }

    #[Test]
    public function of_many_processes_that_write_the_next_page_one_wins_and_readers_always_find_the_last(): void
    {
        $code = 'require $argv[1]; $l = new Lighterman\Connectors\Lake\Ledger(new Lighterman\Connectors\Lake\LocalFolder("lake", $argv[2]));
            $won = []; $from = microtime(true);
            while (count($won) < 40 && microtime(true) - $from < 20) {
                $p = $l->last("feeds/f") ?? Lighterman\Connectors\Lake\BookPage::first("feeds/f");
                try { $next = $p->claimed((int) $argv[3], 0); $l->write($next); $won[] = $next->number; } catch (Lighterman\Core\Port\LeaseLost) { }
            }
            echo json_encode($won);';
        $processes = [];
        for ($token = 1; $token <= 4; $token++) {
            $process = proc_open([PHP_BINARY, '-r', $code, dirname(__DIR__, 2).'/vendor/autoload.php', $this->path, (string) $token], [['file', '/dev/null', 'r'], ['pipe', 'w'], ['pipe', 'w']], $pipes);
            self::assertIsResource($process);
            $processes[] = [$process, $pipes];
        }
        $seen = 0;
        while (proc_get_status($processes[0][0])['running']) {
            $number = $this->ledger->last('feeds/f')->number ?? 0;
            self::assertGreaterThanOrEqual($seen, $number, 'a reader never goes back');
            $seen = $number;
        }
        $all = [];
        foreach ($processes as [$process, $pipes]) {
            $told = (string) stream_get_contents($pipes[1]);
            self::assertJson($told, (string) stream_get_contents($pipes[2]).$told);
            $all = [...$all, ...json_decode($told, true, 8, JSON_THROW_ON_ERROR)];
            proc_close($process);
        }
        sort($all);
        // Who wrote a page, and was held up before it could see so, may take it for lost; nobody takes one for written that is not.
        self::assertSame(array_values(array_unique($all)), $all, 'no number was taken twice');
        self::assertSame(end($all), $this->ledger->last('feeds/f')?->number);
        self::assertGreaterThanOrEqual(160, end($all));
        self::assertLessThanOrEqual(6, count($this->folder->entries('_lighterman/feeds/f')), 'earlier pages go');
    }

    #[Test]
    public function who_comes_too_late_takes_its_own_files_away_and_nobody_elses(): void
    {
        foreach (['gate/t/a-1-1-0-0.parquet', 'gate/t/a-1-2-0-0.parquet'] as $name) {
            $this->folder->create($name, 'x');
        }
        $first = BookPage::first('feeds/f')->claimed(1, 0);
        $this->ledger->write($first);
        $theirs = $first->claimed(2, 0);
        $this->ledger->write($theirs);
        $this->ledger->write($theirs->landed(['f' => Page::first('f', 2)->landed(self::receipt(1), ['gate.t' => self::table(['gate/t/a-1-2-0-0.parquet' => 1])], 5, 5)], null));
        try {
            $this->ledger->write($first->landed(['f' => Page::first('f', 1)->landed(self::receipt(1), [], 5, 5)], null), ['gate/t/a-1-1-0-0.parquet' => true, 'gate/t/a-1-2-0-0.parquet' => true]);
            self::fail('It was written.');
        } catch (LeaseLost $lost) {
            self::assertStringContainsString('2', $lost->getMessage());
        }
        self::assertSame(['gate/t/a-1-2-0-0.parquet'], $this->folder->files('gate'), 'what counts stays, whoever names it');
    }

    #[Test]
    public function who_was_held_up_until_its_page_was_taken_and_removed_again_has_lost_too(): void
    {
        $books = ['feeds/f', 'routes/r'];
        $late = $next = [];
        foreach ($books as $book) {
            $this->ledger->write($late[$book] = $next[$book] = BookPage::first($book)->claimed(1, 0));
            for ($n = 0; $n < 8; $n++) {
                $this->ledger->write($next[$book] = $next[$book]->claimed(2, 0));
            }
            $this->folder->create('gate/t/late.parquet', 'x');
            try {
                $this->ledger->write($late[$book]->landed(['f' => Page::first('f', 1)->landed(self::receipt(1), [], 5, 5)], LogPlace::before(99)), ['gate/t/late.parquet' => true]);
                self::fail('It was written.');
            } catch (LeaseLost) {
                self::assertSame([9, null], [$this->ledger->last($book)?->number, $this->ledger->last($book)?->place]);
            }
        }
        self::assertSame([], $this->folder->files('gate'));
        self::assertSame(['0000000005.json', '0000000006.json', '0000000007.json', '0000000008.json', '0000000009.json'], $this->folder->entries('_lighterman/feeds/f'), 'its page is gone again');

        // What a worker left that was killed in that very moment goes with the next page.
        file_put_contents("{$this->path}/_lighterman/feeds/f/0000000002.json", '{}');
        $this->ledger->write($page = $next['feeds/f']->claimed(3, 0));
        self::assertSame([10, 5], [$this->ledger->last('feeds/f')?->number, count($this->folder->entries('_lighterman/feeds/f'))]);
        $this->ledger->write($page->without('f'));
        $this->expectException(LeaseLost::class);
        $this->ledger->write($page->landed(['f' => Page::first('f', 3)], null));
    }

    #[Test]
    public function files_retire_for_a_while_and_small_ones_are_found_by_partition(): void
    {
        $was = self::table(['t/part=a/1' => 5, 't/part=a/2' => 6, 't/part=a/3' => 100, 't/part=b/4' => 5]);
        self::assertSame([['t/part=a/1', 't/part=a/2']], array_map(static fn (array $files): array => array_map(static fn (DataFile $f): string => $f->name, $files), $was->small(100, 2)));
        self::assertSame([], $was->small(100, 3));
        $page = new Page('f', 1, 0, new StartPosition, ['t' => $was], ['older' => 100], []);
        $next = $page->joined(['t' => self::table(['t/part=a/5' => 11, 't/part=a/3' => 100, 't/part=b/4' => 5])], 100 + Page::GRACE - 1);
        self::assertSame(['older', 't/part=a/1', 't/part=a/2'], array_keys($next->retired));
        self::assertSame([0, []], [$next->sequence, $next->receipts]);
        self::assertSame(['older', 't/part=a/1', 't/part=a/2', 't/part=a/3', 't/part=a/5', 't/part=b/4'], (static function (array $k): array {
            sort($k);

            return $k;
        })(array_keys($next->kept())));
        self::assertSame(['t/part=a/1', 't/part=a/2'], array_keys($next->claimed(2, 100 + Page::GRACE)->retired));
        self::assertNotSame($next->joinPrefix(3), $next->joinPrefix(4));
        self::assertNotSame(Page::prefix('f', 0, 1), $next->joinPrefix(3));
    }
}
