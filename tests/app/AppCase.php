<?php

declare(strict_types=1);

namespace Tests\App;

use App\Feeds\FeedBook;
use App\Feeds\SystemBook;
use App\Models\Feed;
use App\Models\Person;
use App\Models\System;
use App\Runtime\Common\Systems;
use App\Runtime\Worker;
use Illuminate\Contracts\Console\Kernel;
use Illuminate\Foundation\Application;
use Illuminate\Foundation\Testing\DatabaseTransactions;
use Illuminate\Foundation\Testing\TestCase;
use Lighterman\Connectors\Postgres\Server\Connection;
use Lighterman\Connectors\Postgres\Server\PostgresSettings;
use Lighterman\Core\Capture\Capture;
use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Tests\Definition\Definitions;

/** The application with a source and a target database of its own; Lighterman's own tables are rolled back after each test. */
abstract class AppCase extends TestCase
{
    use DatabaseTransactions;

    protected Connection $gate;

    protected Connection $house;

    protected System $source;

    protected System $target;

    /** @var list<string> */
    private array $databases = [];

    /** Account of people's queries, which belongs to the whole server. */
    protected ?string $asker = null;

    public function createApplication(): Application
    {
        $app = require __DIR__.'/../../bootstrap/app.php';
        $app->make(Kernel::class)->bootstrap();

        return $app;
    }

    protected function setUp(): void
    {
        parent::setUp();
        $admin = $this->connect('postgres');
        foreach (['gate', 'house'] as $name) {
            $this->databases[] = $database = "a_{$name}_".bin2hex(random_bytes(3));
            $admin->run("CREATE DATABASE {$database}");
            $this->{$name} = $this->connect($database);
        }
        $admin->close();
        $settings = fn (string $database): array => ['host' => '127.0.0.1', 'port' => (int) getenv('LIGHTERMAN_TEST_PG_PORT'), 'database' => $database, 'user' => 'lighterman', 'tls' => 'prefer'];
        $this->source = SystemBook::add('gate', $settings($this->databases[0]), (string) getenv('LIGHTERMAN_TEST_PG_PASSWORD'));
        $this->target = SystemBook::add('house', $settings($this->databases[1]), (string) getenv('LIGHTERMAN_TEST_PG_PASSWORD'));
        $this->gate->run("CREATE TABLE loads (id int PRIMARY KEY, kg int, updated_at timestamptz NOT NULL DEFAULT now()); INSERT INTO loads SELECT g, g, now() - interval '1 day' FROM generate_series(1, 500) g");
    }

    protected function tearDown(): void
    {
        $this->gate->close();
        $this->house->close();
        $admin = $this->connect('postgres');
        foreach ($this->databases as $database) {
            $admin->run("DROP DATABASE IF EXISTS {$database} WITH (FORCE)");
        }
        $this->asker === null || $admin->run("DROP ROLE IF EXISTS {$this->asker}");
        $admin->close();
        parent::tearDown();
    }

    /** @param  array<string, mixed>  $more */
    protected function feed(array $more = []): Feed
    {
        $table = new TableName('public', 'loads');
        $definition = Definitions::of(...['name' => 'loads', 'source' => $table, 'shape' => app(Systems::class)->source($this->source)->shape($table), 'capture' => Capture::Watermark,
            'key' => ['id'], 'landing' => Landing::Upsert, 'landed' => new TableName('copy', 'loads'), 'watermark' => 'updated_at', ...$more]);

        return FeedBook::create($this->source, $this->target, [$definition])[0];
    }

    /** Gives people's queries of the target an account. */
    protected function givesAsker(): void
    {
        $this->asker = 'asker_'.bin2hex(random_bytes(4));
        SystemBook::ask($this->target, $this->asker, bin2hex(random_bytes(12)), [null, ''], app(Systems::class));
        $this->target->refresh();
    }

    protected function carry(Feed $feed): Feed
    {
        (new Worker(app(Systems::class), 'test'))->once($feed->id);

        return $feed->refresh();
    }

    protected function engineer(): Person
    {
        return $this->person('engineer', 'engineer');
    }

    protected function person(string $name, string $role): Person
    {
        return Person::create(['name' => $name, 'password' => 'a long enough one', 'role' => $role]);
    }

    private function connect(string $database): Connection
    {
        return new Connection(new PostgresSettings('test', '127.0.0.1', (int) getenv('LIGHTERMAN_TEST_PG_PORT'), $database, 'lighterman', (string) getenv('LIGHTERMAN_TEST_PG_PASSWORD')), 'test', readOnly: false);
    }
}
