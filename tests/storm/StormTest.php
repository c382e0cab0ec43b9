<?php

declare(strict_types=1);

namespace Tests\Storm;

use Illuminate\Contracts\Console\Kernel;
use Illuminate\Foundation\Application;
use Illuminate\Foundation\Testing\TestCase;
use Illuminate\Support\Facades\DB;
use Lighterman\Connectors\Postgres\Server\Connection;
use Lighterman\Connectors\Postgres\Server\PostgresSettings;
use Lighterman\Core\Capture\Capture;
use Lighterman\Core\Capture\Kind\Kinds;
use Lighterman\Core\Definition\Guarantee;
use Lighterman\Core\Guarantee\SourceCapabilities;
use Lighterman\Core\Guarantee\TargetCapabilities;
use Lighterman\Core\Landing\Deletes;
use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Shape\Type;
use Lighterman\Core\Shape\TypeKind;
use Lighterman\Core\Tests\Definition\Definitions;
use Lighterman\Core\Trouble\InvalidDefinition;
use PHPUnit\Framework\Attributes\DataProvider;
use PHPUnit\Framework\Attributes\Test;

/**
 * A feed that says "on time" equals its source; one that does not says so and names a remedy, which makes it equal when
 * it is followed.
 */
final class StormTest extends TestCase
{
    private const SHRINK_SECONDS = 180;

    private static ?string $database = null;

    public function createApplication(): Application
    {
        $app = require __DIR__.'/../../bootstrap/app.php';
        $app->make(Kernel::class)->bootstrap();

        return $app;
    }

    protected function setUp(): void
    {
        parent::setUp();
        if (self::$database === null) {
            self::$database = 'storm_own_'.bin2hex(random_bytes(3));
            $this->admin('CREATE DATABASE '.self::$database);
            $this->admin('ALTER DATABASE '.self::$database.' SET synchronous_commit = on');
            register_shutdown_function(fn () => $this->admin('DROP DATABASE IF EXISTS '.self::$database.' WITH (FORCE)'));
        }
        config(['database.connections.pgsql.database' => self::$database]);
        DB::purge();
        $this->artisan('migrate', ['--force' => true, '--quiet' => true]);
    }

    private function admin(string $sql): void
    {
        $admin = new Connection(new PostgresSettings('storm', '127.0.0.1', (int) getenv('LIGHTERMAN_TEST_PG_PORT'), 'postgres', 'lighterman', (string) getenv('LIGHTERMAN_TEST_PG_PASSWORD')), 'storm', readOnly: false);
        $admin->run($sql);
        $admin->close();
    }

    #[Test]
    public function whatever_happens_a_feed_that_says_on_time_equals_its_source(): void
    {
        $seed = (int) (getenv('LIGHTERMAN_STORM_SEED') ?: random_int(1, 1 << 30));
        $minutes = (float) (getenv('LIGHTERMAN_STORM_MINUTES') ?: 5);
        fwrite(STDERR, "\nstorm: seed {$seed}, {$minutes} min\n");
        $played = 0;
        for ($until = microtime(true) + 60 * $minutes; microtime(true) < $until; $played++) {
            $this->hold(Story::fromSeed($seed + $played));
        }
        fwrite(STDERR, "storm: {$played} stories from seed {$seed}\n");
        self::assertGreaterThan(0, $played);
    }

    /** @return iterable<string, array{Story}> stories that once failed */
    public static function kept(): iterable
    {
        yield from require __DIR__.'/kept.php';
    }

    #[Test]
    #[DataProvider('kept')]
    public function what_once_went_wrong_goes_right(Story $story): void
    {
        self::assertNull($v = $this->violation($story, $told), $v."\n".implode("\n", $told ?? []));
    }

    /** What delivery claims of a feed is claimed only where stories of such feeds are played. */
    #[Test]
    public function every_kind_of_feed_that_promises_its_delivery_is_played(): void
    {
        $played = [];
        for ($seed = 1; $seed <= 1500; $seed++) {
            foreach (($story = Story::fromSeed($seed))->feeds as $feed) {
                $played[implode(' ', [$feed['capture'], $feed['landing'], ...(in_array($feed['capture'], ['log', 'trigger'], true) && $feed['landing'] === 'upsert' ? [$feed['deletes']] : []), 'into', $feed['target']])][$story->tables[$feed['table']]['system'] ?? 'gate'] = true;
            }
        }
        $shape = new Shape([new Column('id', Type::of(TypeKind::Int32), false), new Column('touched', Type::of(TypeKind::TimestampTz), false)], ['id']);
        $promised = [];
        foreach ([Capture::Log, Capture::Trigger, Capture::Watermark, Capture::Reload] as $capture) {
            foreach (Landing::cases() as $landing) {
                foreach (['house', 'lake'] as $target) {
                    foreach (Kinds::of($capture)->bringsChanges() && $landing === Landing::Upsert ? Deletes::cases() : [Deletes::Apply] as $deletes) {
                        try {
                            $definition = Definitions::of('f', new TableName('public', 't'), $shape, $capture, ['id'], $landing, new TableName('copy', 'f'), watermark: $capture === Capture::Watermark ? 'touched' : null, deletes: $deletes);
                        } catch (InvalidDefinition) {
                            continue;
                        }
                        if (Guarantee::derive($definition, new SourceCapabilities(true), new TargetCapabilities(true))->claims[0]->strength === 'kept') {
                            $promised[implode(' ', [$capture->value, $landing->value, ...(Kinds::of($capture)->bringsChanges() && $landing === Landing::Upsert ? [$deletes->value] : []), 'into', $target])] = $capture === Capture::Log ? ['gate'] : ['gate', 'mariadb', 'sqlite'];
                        }
                    }
                }
            }
        }
        self::assertGreaterThan(20, count($promised));
        foreach ($promised as $kind => $systems) {
            foreach ($systems as $system) {
                self::assertArrayHasKey($system, $played[$kind] ?? [], "{$kind} is promised from {$system}, and never played");
            }
        }
    }

    private function hold(Story $story): void
    {
        $violation = $this->violation($story, $told);
        if ($violation === null) {
            return;
        }
        fwrite(STDERR, "storm: seed {$story->seed}: {$violation}\n".implode("\n", $told)."\nstorm: it is being shrunk\n");
        $shrunk = (new Shrinker($this->violation(...), microtime(true) + (int) (getenv('LIGHTERMAN_STORM_SHRINK') ?: self::SHRINK_SECONDS)))->shrunk($story);
        self::fail("{$violation}\n\nFor tests/storm/kept.php:\n\n".$shrunk->asTest($violation));
    }

    /** @param  list<string>|null  $told */
    private function violation(Story $story, ?array &$told = null): ?string
    {
        $world = new World($story, ['LIGHTERMAN_DB_NAME' => (string) self::$database, 'LIGHTERMAN_LEASE_SECONDS' => '2', 'LIGHTERMAN_GAP_SECONDS' => '1', 'LIGHTERMAN_LONGEST_BACKOFF_SECONDS' => '2', 'APP_ENV' => 'production'] + getenv());
        try {
            $world->play();

            return null;
        } catch (Violation $violation) {
            return $violation->getMessage();
        } finally {
            $told = [...$world->told, ...$world->lines()];
            $world->end();
        }
    }
}
