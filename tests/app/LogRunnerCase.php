<?php

declare(strict_types=1);

namespace Tests\App;

use App\Feeds\Books;
use App\Feeds\FeedBook;
use App\Models\Feed;
use App\Models\RouteLog;
use App\Models\Run;
use App\Runtime\Common\Systems;
use App\Runtime\Stream\LogRunner;
use App\Runtime\Work\Leases;
use Illuminate\Support\Facades\DB;
use Lighterman\Core\Capture\Capture;
use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Tests\Definition\Definitions;

/** Feeds whose changes are read from a log, run without a worker of their own. */
abstract class LogRunnerCase extends AppCase
{
    /** A slot begins where no older transaction is open on its server, so these tests cannot run within one. */
    public function beginDatabaseTransaction(): void
    {
    }

    protected function tearDown(): void
    {
        DB::statement('TRUNCATE systems, routes, feeds, people RESTART IDENTITY CASCADE');
        $this->gate->run('SELECT pg_drop_replication_slot(slot_name) FROM pg_replication_slots WHERE database = current_database() AND NOT active');
        parent::tearDown();
    }

    /** @param  array<string, mixed>  $more */
    protected function logFeed(string $table = 'loads', array $more = []): Feed
    {
        $name = new TableName('public', $table);
        $definition = Definitions::of(...['name' => $table, 'source' => $name, 'shape' => $more['shape'] ?? app(Systems::class)->source($this->source)->shape($name), 'capture' => Capture::Log, 'key' => ['id'], 'landing' => Landing::Upsert,
            'landed' => new TableName('copy', $more['name'] ?? $table), ...$more]);

        return FeedBook::create($this->source, $this->target, [$definition])[0];
    }

    /** @param  (callable(int): void)|null  $meanwhile  called before every message, with the number of calls */
    protected function drain(?callable $meanwhile = null, ?RouteLog $log = null): void
    {
        $leases = new Leases('test');
        $lease = $leases->log(($log ?? RouteLog::sole())->id);
        self::assertNotNull($lease);
        $calls = 0;
        (new LogRunner(app(Systems::class), $leases, static function () use ($meanwhile, &$calls): bool {
            $meanwhile === null || $meanwhile($calls++);

            return false;
        }))->run($lease, drain: true);
    }

    /** @param  callable(): bool  $stop  asked before every message */
    protected function readUntil(callable $stop): void
    {
        $leases = new Leases('test');
        $lease = $leases->log(RouteLog::sole()->id);
        self::assertNotNull($lease);
        (new LogRunner(app(Systems::class), $leases, $stop))->run($lease);
    }

    protected function assertRunsAddUp(Feed $feed): void
    {
        self::assertSame([], Books::check());
        foreach ($feed->runs()->get() as $run) {
            self::assertTrue($run->addsUp(), "run {$run->id}");
        }
    }

    protected function assertCopied(string $table = 'loads', string $copy = 'loads', string $columns = 'id, kg, updated_at'): void
    {
        $rows = "SELECT {$columns} FROM %s ORDER BY 1";
        [$here, $there] = array_map(static fn (array $all): array => array_map(static fn (array $row): string => implode('|', $row), $all), [$this->gate->rows(sprintf($rows, $table)), $this->house->rows(sprintf($rows, "copy.{$copy}"))]);
        self::assertSame([[], []], [array_slice(array_diff($here, $there), 0, 3), array_slice(array_diff($there, $here), 0, 3)], 'rows that only one side has');
        self::assertSame(count($here), count($there));
    }

    /** A feed of `loads` by trigger. @param  array<string, mixed>  $more */
    protected function triggerFeed(array $more = []): Feed
    {
        return $this->logFeed('loads', ['capture' => Capture::Trigger, ...$more]);
    }
}
