<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Tests;

use Lighterman\Connectors\Postgres\Landing\PostgresTarget;
use Lighterman\Connectors\Postgres\Server\Connection;
use Lighterman\Connectors\Postgres\Server\PostgresSettings;
use Lighterman\Connectors\Postgres\Server\Quoted;
use Lighterman\Connectors\Postgres\Source\PostgresSource;
use Lighterman\Connectors\SteadyClock;
use Lighterman\Core\Capture\BoundNote;
use Lighterman\Core\Capture\Capture;
use Lighterman\Core\Carrying\RowDelivery;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Port\Holder;
use Lighterman\Core\Port\TargetSystem;
use Lighterman\Core\Record\Receipt;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Tests\Definition\Definitions;
use PHPUnit\Framework\TestCase;

/** Two fresh databases on the test server, and a way to carry a feed between them as the worker does. */
abstract class PostgresCase extends TestCase
{
    protected Connection $gate;

    protected Connection $house;

    protected PostgresSource $source;

    protected PostgresTarget $target;

    /** @var list<string> */
    private array $databases = [];

    private int $token = 1;

    protected ?BoundNote $note = null;

    protected function setUp(): void
    {
        $admin = $this->admin();
        foreach (['s', 't'] as $side) {
            $name = 'c_'.$side.bin2hex(random_bytes(4));
            $admin->run("CREATE DATABASE {$name}");
            $this->databases[] = $name;
        }
        $admin->close();
        $this->gate = new Connection($this->settings('weighbridge', $this->databases[0]), 'test', readOnly: false);
        $this->house = new Connection($this->settings('warehouse', $this->databases[1]), 'test', readOnly: false);
        $this->source = new PostgresSource($this->settings('weighbridge', $this->databases[0]));
        $this->target = new PostgresTarget($this->settings('warehouse', $this->databases[1]));
    }

    protected function tearDown(): void
    {
        $this->gate->close();
        $this->house->close();
        $admin = $this->admin();
        foreach ($this->databases as $name) {
            $admin->run("DROP DATABASE IF EXISTS {$name} WITH (FORCE)");
        }
        $admin->close();
    }

    protected function settings(string $system, string $database, ?string $user = null, ?string $password = null): PostgresSettings
    {
        return new PostgresSettings($system, '127.0.0.1', (int) getenv('LIGHTERMAN_TEST_PG_PORT'), $database, $user ?? 'lighterman', $password ?? (string) getenv('LIGHTERMAN_TEST_PG_PASSWORD'));
    }

    protected function database(string $side): string
    {
        return $this->databases[$side === 'gate' ? 0 : 1];
    }

    private function admin(): Connection
    {
        return new Connection($this->settings('test server', 'postgres'), 'test', readOnly: false);
    }

    /**
     * @param  list<string>  $key
     * @param  array<string, mixed>  $more  further named arguments of FeedDefinition
     */
    protected function feed(string $table, ?string $watermark, array $key, Landing $landing = Landing::Upsert, array $more = []): FeedDefinition
    {
        $name = TableName::parse($table);

        return Definitions::of(...[
            'name' => $name->name, 'source' => $name, 'shape' => $this->source->shape($name),
            'capture' => $watermark === null ? Capture::Reload : Capture::Watermark, 'key' => $key, 'landing' => $landing,
            'landed' => new TableName('gate', $name->name), 'watermark' => $watermark, ...$more,
        ]);
    }

    /**
     * Carries everything there is to carry once.
     *
     * @return list<Receipt>
     */
    protected function carry(FeedDefinition $feed, ?int $token = null, ?TargetSystem $into = null): array
    {
        $session = RowDelivery::open(($into ?? $this->target), $feed->landedTable(), Holder::feed('feed-'.$feed->name, $token ?? $this->token));
        $receipts = [];
        try {
            do {
                $plan = $this->source->plan($feed, $session->position(), $this->note);
                $this->note = $plan->note;
                if ($plan->empty) {
                    return $receipts;
                }
                $reader = $this->source->reader($feed, $plan);
                while ($batch = $reader->next()) {
                    if ($receipt = $session->land($batch, 1, SteadyClock::seconds())) {
                        $receipts[] = $receipt;
                    }
                }
                if ($receipt = $session->settle()) {
                    $receipts[] = $receipt;
                }
            } while ($plan->kind === 'load');

            return $receipts;
        } finally {
            $session->close();
        }
    }

    /** Asserts by full comparison that the copy holds exactly the source's rows. */
    protected function assertCopied(FeedDefinition $feed, string $where = 'true'): void
    {
        $columns = Quoted::names($feed->carried()->names());
        $sql = static fn (TableName $t, string $where): string => "SELECT t::text AS row FROM (SELECT {$columns} FROM ".Quoted::name($t->schema).'.'.Quoted::name($t->name)." WHERE {$where}) t ORDER BY 1";
        $at = array_column($this->gate->rows($sql($feed->origin->table, $where)), 'row');
        $landed = array_column($this->house->rows($sql($feed->destination->table, 'true')), 'row');
        self::assertSame([], array_map(static fn (?string $r): string => mb_strcut((string) $r, 0, 80), array_slice(array_diff($at, $landed), 0, 5)), 'rows of the source that the copy lacks');
        self::assertSame(count($at), count($landed), 'rows in the copy');
        self::assertSame(md5(implode("\n", $at)), md5(implode("\n", $landed)), 'the copy equals the source');
    }

    /** @param  list<Receipt>  $receipts */
    protected static function total(array $receipts, string $count): int
    {
        return array_sum(array_map(static fn (Receipt $r): int => $r->{$count}, $receipts));
    }

    /** Waits out the margin by which windows end before the source's clock. */
    protected function settle(): void
    {
        usleep(600_000);
    }
}
