<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Tests;

use Lighterman\Connectors\Lake\DataFile;
use Lighterman\Core\Landing\FileWriting;
use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Trouble\SystemTrouble;
use PHPUnit\Framework\Attributes\Test;
use PHPUnit\Framework\Attributes\TestWith;

/** Values that part the files of a lake: whatever they hold, each row is there once and is found. */
final class LakePartitionTest extends LakeCase
{
    private const ODD = ['NULL', 'null', 'Null', DataFile::NONE, '%5F_HIVE_DEFAULT_PARTITION__', 'x', 'x with lm part x', 'lm_part=1', '%4EULL', '%', '%25', 'a/b', 'a=b', 'a\\b', '', ' ', '  x', "tab\t", "new\nline", '.', '..', 'ä', 'a%2Fb', "'", '"', ',', '{}', '*', '?', '[a]', 'k=v/w=z', '🍎'];

    #[Test]
    #[TestWith([['format' => 'parquet']])]
    #[TestWith([['format' => 'avro']])]
    public function every_value_is_told_from_every_other_and_found(array $as): void
    {
        $seed = random_int(1, 1_000_000);
        mt_srand($seed);
        $letters = ['%', '2', 'F', '/', '=', '_', 'N', 'n', 'u', 'l', 'L', ' ', '.', 'ä', '\\', "'"];
        $random = array_map(static fn (): string => implode('', array_map(static fn (): string => $letters[mt_rand(0, count($letters) - 1)], range(1, mt_rand(1, 6)))), range(1, 150));
        $values = [...self::ODD, ...array_values(array_unique(array_diff($random, self::ODD)))];
        $this->gate->run('CREATE TABLE t (id int PRIMARY KEY, k text, n int, updated_at timestamptz NOT NULL DEFAULT now())');
        foreach ($values as $n => $value) {
            $this->gate->run('INSERT INTO t VALUES ($1, $2, 0), ($3, $2, 1)', [(string) (2 * $n), $value, (string) (2 * $n + 1)]);
        }
        $this->gate->run('INSERT INTO t VALUES (100000, NULL, 0), (100001, NULL, 1)');
        $this->settle();
        $feed = $this->lakeFeed('t', 'updated_at', ['id'], Landing::Upsert, ['k'], ['writing' => FileWriting::fromArray($as)]);
        $this->carry($feed, into: $this->lake);
        self::assertCount(count($values) + 1, array_unique(array_map(dirname(...), $this->counted('gate.t'))), "one folder for each value (seed {$seed})");
        $this->gate->run('UPDATE t SET n = n + 10, updated_at = clock_timestamp() WHERE id % 2 = 0');
        $this->settle();
        $this->carry($feed, into: $this->lake);
        $expected = array_map(array_values(...), $this->gate->rows('SELECT id, k, n FROM t ORDER BY id'));
        self::assertSame($expected, $this->lake->query('SELECT id, k, n FROM gate.t ORDER BY id', 10_000, 60)->rows, "seed {$seed}");
        foreach ([...self::ODD, $random[0]] as $value) {
            $found = $this->lake->query("SELECT count(*), min(k) FROM gate.t WHERE k = '".str_replace("'", "''", $value)."'", 10, 30)->rows;
            self::assertSame([['2', $value]], $found, json_encode($value)." (seed {$seed})");
        }
        self::assertSame([['2']], $this->lake->query('SELECT count(*) FROM gate.t WHERE k IS NULL', 10, 30)->rows);
    }

    #[Test]
    public function five_thousand_partitions_are_written_and_merged_within_the_engines_memory(): void
    {
        $this->gate->run("CREATE TABLE t (id int PRIMARY KEY, k int NOT NULL, said text, updated_at timestamptz NOT NULL DEFAULT now()); INSERT INTO t SELECT g, g % 5000, repeat('word ', 8), now() - interval '1 day' FROM generate_series(1, 20000) g");
        $feed = $this->lakeFeed('t', 'updated_at', ['id'], Landing::Upsert, ['k']);
        $this->carry($feed, into: $this->lake);
        self::assertSame([5000, 20_000], [count($this->counted('gate.t')), $this->lake->count($feed->destination->table)]);
        $this->gate->run("UPDATE t SET said = 'other', updated_at = clock_timestamp() WHERE id <= 3000");
        $this->settle();
        $this->carry($feed, into: $this->lake);
        self::assertSame([['20000', '3000', '5000']], $this->lake->query("SELECT count(*), count(*) FILTER (WHERE said = 'other'), count(DISTINCT k) FROM gate.t", 1, 120)->rows);
    }

    #[Test]
    public function a_value_that_no_folder_can_be_called_by_is_refused_with_its_column(): void
    {
        $this->gate->run("CREATE TABLE t (id int PRIMARY KEY, k text); INSERT INTO t VALUES (1, 'short'), (2, repeat('ж', 60))");
        foreach (['parquet', 'jsonl'] as $format) {
            try {
                $this->carry($this->lakeFeed('t', null, ['id'], Landing::Replace, ['k'], ['writing' => FileWriting::fromArray(['format' => $format])]), into: $this->lake);
                self::fail('It landed.');
            } catch (SystemTrouble $trouble) {
                self::assertSame(['unfit_value', 'gate.t: a folder of k would have a name of 362 bytes, of which there may be 255.'], [$trouble->reason->value, $trouble->getMessage()]);
            }
        }
        self::assertSame([0, []], [$this->lake->count(new TableName('gate', 't')), $this->dataFiles()]);
    }
}
