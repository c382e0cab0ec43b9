<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Tests;

use Lighterman\Connectors\MariaDb\MariaDbChangeTable;
use Lighterman\Connectors\MariaDb\MariaDbSettings;
use Lighterman\Connectors\MariaDb\MariaDbSource;
use Lighterman\Connectors\Triggers\TriggerLog;
use Lighterman\Core\Capture\Log\LoggedRow;
use Lighterman\Core\Capture\TableIdentity;
use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Port\Finding;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Trouble\SystemTrouble;
use PDO;
use PHPUnit\Framework\Attributes\Test;

/** A MariaDB server as a source. */
final class MariaDbTest extends OtherSourceCase
{
    private string $name;

    protected function setUp(): void
    {
        parent::setUp();
        $this->name = 'c_'.bin2hex(random_bytes(4));
        $admin = $this->connect('');
        $admin->exec("CREATE DATABASE {$this->name}");
        $this->app = $this->session();
        $this->other = new MariaDbSource($this->settingsOf());
        $this->changes = new MariaDbChangeTable($this->settingsOf(), 'test0001');
        $this->log = new TriggerLog('cellar', $this->changes);
    }

    protected function tearDown(): void
    {
        $this->connect('')->exec("DROP DATABASE {$this->name}");
        parent::tearDown();
    }

    private function settingsOf(?string $user = null, ?string $password = null, ?int $port = null): MariaDbSettings
    {
        return new MariaDbSettings('cellar', '127.0.0.1', $port ?? (int) getenv('LIGHTERMAN_TEST_MARIA_PORT'), $this->name, $user ?? 'lighterman', $password ?? (string) getenv('LIGHTERMAN_TEST_MARIA_PASSWORD'));
    }

    private function connect(string $database): PDO
    {
        return new PDO('mysql:host=127.0.0.1;port='.getenv('LIGHTERMAN_TEST_MARIA_PORT').($database === '' ? '' : ";dbname={$database}").';charset=utf8mb4', 'lighterman', (string) getenv('LIGHTERMAN_TEST_MARIA_PASSWORD'), [PDO::ATTR_ERRMODE => PDO::ERRMODE_EXCEPTION]);
    }

    protected function session(): PDO
    {
        return $this->connect($this->name);
    }

    protected function table(string $name): TableName
    {
        return new TableName($this->name, $name);
    }

    #[Test]
    public function a_transaction_that_is_still_open_is_not_passed_over_however_early_its_changes_were(): void
    {
        $this->does('CREATE TABLE casks (id INTEGER PRIMARY KEY)');
        $reader = $this->begin();
        $late = $this->session();
        $late->beginTransaction();
        $late->exec('INSERT INTO casks VALUES (1)');
        $gone = $this->session();
        $gone->beginTransaction();
        $gone->exec('INSERT INTO casks VALUES (8), (9)');
        $this->does('INSERT INTO casks VALUES (2)');
        self::assertSame(['begin', 'insert null ["2"]', 'commit'], $this->look($reader));
        $gone->rollBack();
        $this->does('INSERT INTO casks VALUES (3)');
        self::assertSame(['begin', 'insert null ["3"]', 'commit'], $this->look($reader));
        $late->exec('INSERT INTO casks VALUES (4)');
        $late->commit();
        self::assertSame(['begin', 'insert null ["1"]', 'insert null ["4"]', 'commit'], $this->look($reader));
        self::assertSame([], $this->look($reader));
    }

    #[Test]
    public function of_two_transactions_that_changed_one_row_the_one_that_committed_first_comes_first(): void
    {
        $this->does('CREATE TABLE casks (id INTEGER PRIMARY KEY, litres INTEGER)', 'INSERT INTO casks VALUES (1, 0), (2, 0)');
        $reader = $this->begin();
        $older = $this->session();
        $older->beginTransaction();
        $older->exec('UPDATE casks SET litres = 1 WHERE id = 2');
        $this->does('UPDATE casks SET litres = 5 WHERE id = 1');
        $older->exec('UPDATE casks SET litres = 6 WHERE id = 1');
        $older->commit();
        $said = array_values(array_filter($this->look($reader), static fn (string $s): bool => str_contains($s, '["1",')));
        self::assertSame(['update ["1","0"] ["1","5"]', 'update ["1","5"] ["1","6"]'], $said);
    }

    #[Test]
    public function a_column_dropped_under_the_triggers_does_not_disturb_those_who_write_and_is_noticed(): void
    {
        $this->does('CREATE TABLE casks (id INTEGER PRIMARY KEY, note VARCHAR(60), litres INTEGER)');
        $reader = $this->begin();
        $this->does('ALTER TABLE casks DROP COLUMN note', 'INSERT INTO casks VALUES (1, 225)');
        self::assertSame([], array_diff($this->look($reader), ['begin', 'commit']));
        self::assertSame([(string) $this->table('casks') => 'a column was dropped under the triggers'], $this->log->amiss([$this->table('casks')]));
        $this->log->ensure([$this->table('casks')], false);
        self::assertSame([], $this->log->amiss([$this->table('casks')]));
        $this->does('UPDATE casks SET litres = 226');
        self::assertSame(['begin', 'update ["1","225"] ["1","226"]', 'commit'], $this->look($reader));
    }

    #[Test]
    public function values_of_every_type_arrive_unchanged_by_reading_and_by_trigger(): void
    {
        $this->does("CREATE TABLE casks (id BIGINT UNSIGNED PRIMARY KEY, a TINYINT, b SMALLINT UNSIGNED, c MEDIUMINT, d INT UNSIGNED ZEROFILL, e DECIMAL(20,6), f FLOAT, g DOUBLE, h BIT(9), i BIT(1), j CHAR(5), k TEXT, l ENUM('oak','it''s'), m SET('x','y'),
            n BINARY(3), o BLOB, p DATE, q TIME(3), r DATETIME(6), s TIMESTAMP(3) NULL, t YEAR, u JSON, v UUID, w INT GENERATED ALWAYS AS (a + 1) VIRTUAL)");
        $reader = $this->begin();
        // Whoever writes may have any zone and mode.
        $this->does("SET time_zone = '+05:30', sql_mode = 'PAD_CHAR_TO_FULL_LENGTH'");
        $this->does("INSERT INTO casks (id, a, b, c, d, e, f, g, h, i, j, k, l, m, n, o, p, q, r, s, t, u, v) VALUES (18446744073709551615, -128, 65535, -8388608, 4294967295, 12345678901234.567890, 3.14159274, 0.1e0 + 0.2e0, b'101000001', b'1', 'ab', 'line\\n\\ttab \\\\ \u{2603}', 'it''s', 'x,y',
            x'00ff01', x'', '2026-02-28', '-838:59:59.5', '2026-10-25 01:30:00.000001', '2026-10-25 01:30:00.125', 2026, '{\"a\": [1, 2.50]}', '7c9e6679-7425-40de-944b-e07fc1f90ae7')", 'INSERT INTO casks (id) VALUES (1)');
        $expected = ['id' => '18446744073709551615', 'a' => '-128', 'b' => '65535', 'c' => '-8388608', 'd' => '4294967295', 'e' => '12345678901234.567890', 'f' => '3.1415927', 'g' => '0.30000000000000004', 'h' => '321', 'i' => 't', 'j' => 'ab', 'k' => "line\n\ttab \\ \u{2603}", 'l' => "it's", 'm' => 'x,y',
            'n' => '\x00ff01', 'o' => '\x', 'p' => '2026-02-28', 'q' => '-838:59:59.5', 'r' => '2026-10-25 01:30:00.000001', 's' => '2026-10-24 20:00:00.125+00', 't' => '2026', 'u' => '{"a": [1, 2.50]}', 'v' => '7c9e6679-7425-40de-944b-e07fc1f90ae7', 'w' => '-127'];
        $this->house->run("SET TimeZone = 'UTC'");
        $this->carryOther($this->feedOf('casks', null, ['id'], Landing::Replace));
        $landed = $this->landed(implode(', ', array_keys($expected)), 'casks');
        self::assertSame($expected, $landed[1]);
        self::assertSame(['id' => '1'], array_filter($landed[0], static fn (?string $v): bool => $v !== null));
        $row = null;
        while ($message = $reader->next(0)) {
            if ($message instanceof LoggedRow) {
                $row ??= array_combine($message->relation->columns, $message->after ?? []);
            }
        }
        // What the trigger wrote down has to read as the same values.
        $types = array_column($this->house->rows("SELECT column_name, format_type(a.atttypid, a.atttypmod) AS type FROM information_schema.columns c JOIN pg_attribute a ON a.attrelid = 'gate.casks'::regclass AND a.attname = c.column_name WHERE c.table_schema = 'gate' AND c.table_name = 'casks'"), 'type', 'column_name');
        foreach ($expected as $column => $value) {
            $type = (string) $types[$column];
            self::assertSame($value, $this->house->value("SELECT (\$1::{$type})::text", [$row[$column] ?? null]) === 'true' ? 't' : $this->house->value("SELECT \$1::{$type}", [$row[$column] ?? null]), $column);
        }
    }

    #[Test]
    public function a_row_committed_late_is_not_missed_by_a_watermark(): void
    {
        $this->does('CREATE TABLE casks (id INTEGER PRIMARY KEY, updated_at TIMESTAMP(6) NOT NULL)', "INSERT INTO casks VALUES (1, '2026-01-01 00:00:00')");
        $feed = $this->feedOf('casks', 'updated_at', ['id']);
        $this->carryOther($feed);
        $late = $this->session();
        $late->beginTransaction();
        $late->exec('INSERT INTO casks VALUES (2, NOW(6))');
        usleep(1_200_000);
        $this->does('INSERT INTO casks VALUES (3, NOW(6))');
        usleep(700_000);
        $this->carryOther($feed);
        $late->commit();
        $until = microtime(true) + 10;
        do {
            $this->carryOther($feed);
            usleep(200_000);
        } while (count($this->landed('id', 'casks')) < 3 && microtime(true) < $until);
        self::assertSame(['1', '2', '3'], array_column($this->landed('id', 'casks'), 'id'));
    }

    #[Test]
    public function an_account_with_too_little_is_told_the_statements_and_with_them_needs_no_more(): void
    {
        $this->does('CREATE TABLE casks (id INTEGER PRIMARY KEY)');
        $user = 'r_'.bin2hex(random_bytes(3));
        $admin = $this->connect('');
        $admin->exec("CREATE USER {$user}@'127.0.0.1' IDENTIFIED BY 'idle-cider-31'");
        $admin->exec("GRANT SELECT ON {$this->name}.* TO {$user}@'127.0.0.1'");
        try {
            $remedies = static fn (array $findings, string $result): array => array_values(array_map(static fn (Finding $f): string => (string) $f->remedy, array_filter($findings, static fn (Finding $f): bool => $f->result === $result)));
            $settings = $this->settingsOf($user, 'idle-cider-31');
            self::assertSame(["GRANT PROCESS ON *.* TO '{$user}'@'127.0.0.1'; or set an overlap on each feed."], $remedies((new MariaDbSource($settings))->check(), 'warned'));
            $log = new TriggerLog('cellar', new MariaDbChangeTable($settings, 'test0002'));
            $wanted = $remedies($log->check([$this->table('casks')]), 'failed');
            self::assertCount(2, $wanted);
            array_map($admin->exec(...), $wanted);
            $reader = (new TriggerLog('cellar', $changes = new MariaDbChangeTable($settings, 'test0002')))->open((new TriggerLog('cellar', $changes))->ensure([$this->table('casks')], true));
            $this->does('INSERT INTO casks VALUES (1)');
            self::assertContains('insert null ["1"]', self::told($reader));
        } finally {
            $admin->exec("DROP USER {$user}@'127.0.0.1'");
        }
    }

    #[Test]
    public function what_keeps_it_from_being_reached_is_named_without_the_password(): void
    {
        foreach ([[$this->settingsOf(port: 1), 'closed_port'], [$this->settingsOf('nobody', 'sour-apple-77'), 'wrong_password']] as [$settings, $reason]) {
            try {
                (new MariaDbSource($settings))->catalogue();
                self::fail('It answered.');
            } catch (SystemTrouble $trouble) {
                self::assertSame($reason, $trouble->reason->value);
                self::assertStringNotContainsString('sour-apple-77', $trouble->getMessage().$trouble->remedy()->said.print_r($settings, true));
            }
        }
    }

    #[Test]
    public function a_table_or_partition_that_was_emptied_is_another_one(): void
    {
        $this->does('CREATE TABLE `odd-casks` (id int PRIMARY KEY) PARTITION BY RANGE (id) (PARTITION low VALUES LESS THAN (10), PARTITION high VALUES LESS THAN (20))', 'CREATE TABLE casks (id int PRIMARY KEY, note text)', 'INSERT INTO casks VALUES (1, NULL)', 'INSERT INTO `odd-casks` VALUES (1), (11)');
        $tables = [$this->table('casks'), $this->table('odd-casks')];
        $told = fn (): array => array_map(static fn (TableIdentity $i): array => $i->toArray(), $this->changes->identities($tables));
        $before = $told();
        self::assertCount(2, $before);
        $this->does('INSERT INTO casks VALUES (2, NULL)', 'DELETE FROM `odd-casks` WHERE id = 1');
        self::assertEquals($before, $told(), 'rows that come and go are no other table');
        foreach (['TRUNCATE casks' => 'casks', 'ALTER TABLE `odd-casks` TRUNCATE PARTITION high' => 'odd-casks'] as $sql => $name) {
            $this->does($sql);
            $after = $told();
            self::assertSame([(string) $this->table($name)], array_keys(array_filter($after, static fn (array $now, string $table): bool => $now != $before[$table], ARRAY_FILTER_USE_BOTH)), $sql);
            $before = $after;
        }
    }
}
