<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Tests;

use Lighterman\Connectors\Engine\Engine;
use Lighterman\Connectors\Lake\Stage;
use Lighterman\Core\Format\CopyText;
use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\Type;
use PHPUnit\Framework\Attributes\Test;
use PHPUnit\Framework\TestCase;
use Random\Engine\Mt19937;
use Random\Randomizer;

/** Rows on their way into the engine: what goes in as the text form of COPY comes out as it was. */
final class StageTest extends TestCase
{
    private const PIECES = ['\\', 'N', '"', '""', "\t", "\n", "\r", "\r\n", ',', ' ', '', 'a', 'é', '🍎', "'", "\x01", '\\N', '\\.', '\\t', 'null', '0', ';'];

    private string $path;

    private Engine $engine;

    protected function setUp(): void
    {
        $this->path = sys_get_temp_dir().'/stage-'.bin2hex(random_bytes(5));
        mkdir("{$this->path}/spill", 0777, true);
        $this->engine = new Engine([$this->path], 160, 2, "{$this->path}/spill", ordered: true);
    }

    protected function tearDown(): void
    {
        $this->engine->close();
        exec('rm -rf '.escapeshellarg($this->path));
    }

    private function stage(string ...$types): Stage
    {
        return new Stage("{$this->path}/rows.txt", array_map(static fn (string $type, int $i): Column => new Column("c{$i}", Type::parse($type)), $types, array_keys($types)));
    }

    #[Test]
    public function any_text_and_null_comes_out_as_it_went_in(): void
    {
        $seed = random_int(1, PHP_INT_MAX);
        $random = new Randomizer(new Mt19937($seed));
        $value = static function () use ($random): ?string {
            $text = '';
            for ($i = $random->getInt(0, 6); $i > 0; $i--) {
                $text .= self::PIECES[$random->getInt(0, count(self::PIECES) - 1)];
            }

            return $random->getInt(0, 7) === 0 ? null : $text;
        };
        $stage = $this->stage('text', 'text', 'text');
        for ($part = 0; $part < 40; $part++) {
            $rows = [];
            for ($i = $random->getInt(1, 50); $i > 0; $i--) {
                $rows[] = [$value(), $value(), $value()];
            }
            // In several pieces, some of which need no quotes at all.
            foreach (array_chunk($rows, max(1, intdiv(count($rows), 3))) as $some) {
                $stage->add(implode('', array_map(CopyText::line(...), $some)));
            }
            self::assertSame(count($rows), $stage->rows);
            self::assertSame($rows, array_map(array_values(...), $this->engine->rows($stage->select())), "seed {$seed}, part {$part}");
            $stage->clear();
        }
    }

    #[Test]
    public function a_line_of_several_megabytes_passes_between_short_ones(): void
    {
        $stage = $this->stage('int32', 'text');
        $long = str_repeat("quoted \" and\ttabs\n", 300_000);
        foreach ([['1', 'short'], ['2', $long], ['3', null], ['4', strtoupper($long)]] as $row) {
            $stage->add(CopyText::line($row));
        }
        self::assertSame([['1', md5('short')], ['2', md5($long)], ['3', null], ['4', md5(strtoupper($long))]], array_map(array_values(...), $this->engine->rows("SELECT c0::varchar, md5(c1) FROM ({$stage->select()}) ORDER BY c0")));
        $stage->clear();
        self::assertFileDoesNotExist("{$this->path}/rows.txt");
    }

    #[Test]
    public function without_rows_there_is_a_table_of_the_right_types_and_nothing_on_the_disk(): void
    {
        $stage = $this->stage('int64', 'decimal(9,2)', 'timestamptz', 'bytes');
        $stage->add('');
        self::assertSame([], $this->engine->rows($stage->select()));
        $this->engine->run("CREATE TABLE t AS {$stage->select()}");
        self::assertSame(['BIGINT', 'DECIMAL(9,2)', 'TIMESTAMP WITH TIME ZONE', 'BLOB'], array_column($this->engine->rows("SELECT data_type FROM duckdb_columns() WHERE table_name = 't' ORDER BY column_index"), 'data_type'));
        self::assertFileDoesNotExist("{$this->path}/rows.txt");
    }
}
