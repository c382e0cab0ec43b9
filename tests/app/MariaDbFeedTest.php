<?php

declare(strict_types=1);

namespace Tests\App;

use App\Feeds\FeedBook;
use App\Feeds\SystemBook;
use App\Models\Feed;
use App\Runtime\Common\Systems;
use Lighterman\Core\Capture\Capture;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Trouble\Act;
use Lighterman\Core\Trouble\Explained;
use PDO;
use PHPUnit\Framework\Attributes\Test;

/** Feeds by trigger from MariaDB, whose people alter tables while changes are read. */
final class MariaDbFeedTest extends LogRunnerCase
{
    private PDO $cellar;

    private string $database;

    protected function setUp(): void
    {
        parent::setUp();
        [$port, $password] = [(int) getenv('LIGHTERMAN_TEST_MARIA_PORT'), (string) getenv('LIGHTERMAN_TEST_MARIA_PASSWORD')];
        $this->database = 'app_'.bin2hex(random_bytes(3));
        $this->cellar = new PDO("mysql:host=127.0.0.1;port={$port}", 'lighterman', $password, [PDO::ATTR_ERRMODE => PDO::ERRMODE_EXCEPTION]);
        $this->cellar->exec("CREATE DATABASE {$this->database}; USE {$this->database}");
        $this->source = SystemBook::add('cellar', ['host' => '127.0.0.1', 'port' => $port, 'database' => $this->database, 'user' => 'lighterman', 'tls' => 'prefer'], $password, 'mariadb');
        config(['lighterman.gap_seconds' => 1]);
    }

    protected function tearDown(): void
    {
        $this->cellar->exec("DROP DATABASE {$this->database}");
        parent::tearDown();
    }

    private function casks(string $columns): Feed
    {
        $this->cellar->exec("CREATE TABLE casks (id int PRIMARY KEY, {$columns}");
        $table = new TableName($this->database, 'casks');

        return $this->logFeed('casks', ['source' => $table, 'shape' => app(Systems::class)->source($this->source)->shape($table), 'capture' => Capture::Trigger]);
    }

    /** Triggers are made for a shape, and record what fits it. */
    #[Test]
    public function a_column_modified_while_changes_are_read_holds_the_feed_and_agreeing_lands_what_was_rounded(): void
    {
        $feed = $this->casks("a decimal(8,1), t datetime, f float); INSERT INTO casks VALUES (1, 1.5, '2026-01-01 10:00:00', 1.5)");
        $this->drain();
        $begun = microtime(true);
        $modified = false;
        $this->readUntil(function () use ($begun, $feed, &$modified): bool {
            if (! $modified && microtime(true) - $begun > 1) {
                $modified = true;
                $this->cellar->exec("ALTER TABLE casks MODIFY a decimal(8,3), MODIFY t datetime(6), MODIFY f double; UPDATE casks SET a = 12.345, t = '2026-01-01 10:00:00.987654', f = 1.123456789 WHERE id = 1");
            }

            return microtime(true) - $begun > 20 || ($modified && $feed->refresh()->standing === 'held');
        });
        self::assertSame(['held', Act::AgreeToShape], [$feed->refresh()->state(), $feed->trouble?->remedy->act]);
        try {
            FeedBook::agreeToPresent($feed, app(Systems::class));
            self::fail('The landed table holds no such values yet.');
        } catch (Explained $refused) {
            preg_match_all('/ALTER TABLE [^;]*;/', $refused->remedy()->said, $statements);
            self::assertCount(3, $statements[0]);
            array_map($this->house->run(...), $statements[0]);
        }
        FeedBook::agreeToPresent($feed->refresh(), app(Systems::class));
        $this->drain();
        self::assertSame(['on time', '12.345|2026-01-01 10:00:00.987654|1.123456789'], [$feed->refresh()->state(), $this->house->value("SELECT concat_ws('|', a, t, f) FROM copy.casks")]);
    }

    /** The source takes them for one row; triggers tell of both. */
    #[Test]
    public function a_key_that_is_spelt_otherwise_from_now_on_is_one_row_still(): void
    {
        $this->cellar->exec("CREATE TABLE casks (id varchar(20) COLLATE utf8mb4_general_ci PRIMARY KEY, n int); INSERT INTO casks VALUES ('oak', 1), ('elm', 1), ('ash', 1)");
        $table = new TableName($this->database, 'casks');
        $this->logFeed('casks', ['source' => $table, 'shape' => app(Systems::class)->source($this->source)->shape($table), 'capture' => Capture::Trigger]);
        $this->drain();
        $this->cellar->exec("UPDATE casks SET id = 'OAK' WHERE id = 'oak'; REPLACE INTO casks VALUES ('Elm', 2); INSERT INTO casks VALUES ('ASH', 3) ON DUPLICATE KEY UPDATE n = 3");
        $this->drain();
        self::assertSame(['Elm 2', 'OAK 1', 'ash 3'], array_column($this->house->rows("SELECT id || ' ' || n AS row FROM copy.casks ORDER BY id COLLATE \"C\""), 'row'));
    }

    #[Test]
    public function a_partition_that_is_taken_away_takes_its_rows_out_of_the_copy(): void
    {
        $feed = $this->casks('n int) PARTITION BY RANGE (id) (PARTITION low VALUES LESS THAN (10), PARTITION high VALUES LESS THAN (20)); INSERT INTO casks VALUES (1, 1), (11, 1)');
        $this->drain();
        self::assertSame('2', $this->house->value('SELECT count(*) FROM copy.casks'));
        $begun = microtime(true);
        $dropped = false;
        $this->readUntil(function () use ($begun, &$dropped): bool {
            if (! $dropped && microtime(true) - $begun > 1) {
                $dropped = true;
                $this->cellar->exec('ALTER TABLE casks DROP PARTITION high');
            }

            return microtime(true) - $begun > 20 || ($dropped && $this->house->value('SELECT count(*) FROM copy.casks') === '1');
        });
        self::assertSame(['on time', '1'], [$feed->refresh()->state(), $this->house->value('SELECT max(id) FROM copy.casks')]);
    }
}
