<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Tests;

use Lighterman\Connectors\Lake\DataFile;
use Lighterman\Connectors\Lake\LocalFolder;
use Lighterman\Core\Carrying\RowDelivery;
use Lighterman\Core\Landing\FileWriting;
use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Port\Holder;
use Lighterman\Core\Shape\TableName;
use PHPUnit\Framework\Attributes\DataProvider;
use PHPUnit\Framework\Attributes\Test;
use Random\Engine\Mt19937;
use Random\Randomizer;

/** Whatever is done to a table at the source, and to its files in the lake, in any order: what is read is what the source has. */
final class LakeRandomTest extends LakeCase
{
    private const ODD = ["a'b", 'x/y=z', 'tab'."\t".'and "quotes"', '', '\\N', "line\nbreak", 'ünïcödé 🍎', '%2F', '..', ' '];

    /** @return iterable<string, array{Landing, array<string, mixed>}> */
    public static function ways(): iterable
    {
        foreach ([Landing::Upsert, Landing::Replace] as $landing) {
            yield "{$landing->value}, Parquet" => [$landing, []];
            yield "{$landing->value}, Avro" => [$landing, ['format' => 'avro']];
            yield "{$landing->value}, packed text" => [$landing, ['format' => 'delimited', 'packed' => 'gzip', 'delimiter' => ';', 'decimal' => ',', 'null' => '∅']];
            yield "{$landing->value}, JSON Lines under a fixed name" => [$landing, ['format' => 'jsonl', 'fixed_name' => 'all']];
        }
    }

    /** @param  array<string, mixed>  $as */
    #[Test]
    #[DataProvider('ways')]
    public function the_lake_has_what_the_source_has(Landing $landing, array $as): void
    {
        $seed = random_int(1, PHP_INT_MAX);
        $random = new Randomizer(new Mt19937($seed));
        $this->gate->run('CREATE TABLE odd (id int PRIMARY KEY, part text, kg numeric(9,2), updated_at timestamptz NOT NULL DEFAULT clock_timestamp())');
        $feed = $this->lakeFeed('odd', $landing === Landing::Replace ? null : 'updated_at', ['id'], $landing, ['part', 'month(updated_at)'], ['writing' => FileWriting::fromArray($as)]);
        for ($delivery = 1; $delivery <= 6; $delivery++) {
            for ($i = $random->getInt(1, 60); $i > 0; $i--) {
                [$id, $part] = [$random->getInt(1, 90), $random->getInt(0, 9) === 0 ? null : self::ODD[$random->getInt(0, 9)]];
                $this->gate->run('INSERT INTO odd (id, part, kg) VALUES ($1, $2, $3) ON CONFLICT (id) DO UPDATE SET part = excluded.part, kg = excluded.kg, updated_at = clock_timestamp()', [(string) $id, $part, (string) ($random->getInt(-99999, 99999) / 100)]);
            }
            if ($landing === Landing::Replace) {
                $this->gate->run('DELETE FROM odd WHERE id = $1', [(string) $random->getInt(1, 90)]);
            }
            $this->settle();
            $this->carry($feed, $delivery * 2, $this->lake);
            if ($random->getInt(0, 1) === 1) {
                $session = RowDelivery::open($this->lake, $feed->landedTable(), Holder::feed('feed-odd', $delivery * 2 + 1));
                $session->join();
                $session->close();
            }
            $sums = static fn (string $of): string => "SELECT id, part, kg, md5(concat_ws('|', id, part, kg)) AS sum FROM {$of} ORDER BY id";
            self::assertSame($this->gate->rows($sums('odd')), array_map(static fn (array $r): array => array_combine(['id', 'part', 'kg', 'sum'], $r), $this->lake->query($sums('gate.odd'), 1000, 60)->rows), "delivery {$delivery}, seed {$seed}");
        }
        $files = $this->lake->tables()['gate.odd'];
        self::assertSame((int) $this->gate->value('SELECT count(*) FROM odd'), $files->rows(), "seed {$seed}");
        self::assertSame(count($files->files), count(array_unique(array_map(static fn (DataFile $f): string => $f->name, $files->files))));
        // Nothing lies in the folder that no page names, but for fixed names, which repeat a file that counts.
        $kept = array_keys($this->ledger()->last('feeds/feed-odd')?->kept() ?? []);
        $strays = array_diff(array_map(static fn (string $n): string => substr($n, 2), $this->allFiles()), $kept, $files->fixedNames());
        self::assertSame([], array_values($strays), "seed {$seed}");
        // A partition is pruned whatever its value is made of.
        foreach (['x/y=z', null] as $part) {
            $where = $part === null ? 'part IS NULL' : "part = '{$part}'";
            $found = $this->lake->query("SELECT count(*) FROM gate.odd WHERE {$where}", 10, 60);
            self::assertSame($this->gate->value("SELECT count(*) FROM odd WHERE {$where}"), $found->rows[0][0], "seed {$seed}");
            self::assertSame(count(array_filter($files->files, static fn (DataFile $f): bool => $f->partition['part'] === $part)), $found->files[0] ?? null, "files read where {$where}, seed {$seed}");
        }
        $this->lake->discard('feed-odd');
        self::assertSame([[], null], [$this->allFiles(), $this->lake->files(new TableName('gate', 'odd'))]);
    }

    /** @return list<string> */
    private function allFiles(): array
    {
        return array_values(array_filter((new LocalFolder('lake', $this->path))->files('.'), static fn (string $n): bool => ! str_starts_with($n, './_lighterman')));
    }
}
