<?php

declare(strict_types=1);

/** What the benchmarks of first loads share: a table of ten columns, filled, and its load by a worker process of its own. */
final class Loads
{
    public const COLUMNS = 'id bigint PRIMARY KEY, ticket text NOT NULL, grower integer NOT NULL, variety char(3) NOT NULL, gross numeric(9,1) NOT NULL, tare numeric(9,1), status text NOT NULL, note text, arrived_at timestamptz NOT NULL, updated_at timestamptz NOT NULL';

    public function __construct(private readonly Bench $bench)
    {
    }

    public function fill(int $rows): void
    {
        $source = $this->bench->connect('source');
        $source->exec('DROP TABLE IF EXISTS loads; CREATE TABLE loads ('.self::COLUMNS.')');
        $source->exec("INSERT INTO loads SELECT g, 'T' || lpad(g::text, 8, '0'), g % 5000, 'V' || lpad((g % 60)::text, 2, '0'), round((random() * 30000)::numeric, 1), round((random() * 9000)::numeric, 1), 'settled', CASE WHEN g % 7 = 0 THEN 'second weighing after rain' END, now() - g * interval '1 second', now() - g * interval '1 second' FROM generate_series(1, {$rows}) g");
        $source->exec('CREATE INDEX ON loads (updated_at)');
        $source->exec('VACUUM ANALYZE loads');
    }

    /**
     * Loads the table once by landing upsert, and forgets it again.
     *
     * @param  array<string, mixed>|null  $treatment
     * @return array{seconds: float, peak: int, out: string, queries: int} with the queries that lookups took
     */
    public function load(int $rows, ?array $treatment = null): array
    {
        $file = tempnam(sys_get_temp_dir(), 'bench').'.json';
        $feed = ['table' => 'public.loads', 'watermark' => 'updated_at', 'landing' => 'upsert', 'landed' => 'bench.loads', 'schedule' => ['manual' => true]] + ($treatment === null ? [] : ['treatment' => $treatment]);
        file_put_contents($file, json_encode(['source' => 'source', 'target' => 'target', 'feeds' => [$feed]], JSON_THROW_ON_ERROR));
        $this->bench->lighterman(['route:load', $file]);
        unlink($file);
        $run = $this->bench->lighterman(['feed:run', 'loads', '--json']);
        $landed = (int) $this->bench->connect('target')->query('SELECT count(*) FROM bench.loads')->fetchColumn();
        if ($landed !== $rows) {
            fwrite(STDERR, "landed {$landed} rows instead of {$rows}\n");
            exit(1);
        }
        $own = $this->bench->connect('lighterman');
        $said = (string) $own->query("SELECT said FROM run_lines WHERE said LIKE 'Lookups took%' ORDER BY id DESC LIMIT 1")->fetchColumn();
        $this->bench->connect('target')->exec('DROP SCHEMA bench CASCADE; DROP SCHEMA lighterman CASCADE');
        $own->exec("DELETE FROM feeds WHERE name = 'loads'");

        return $run + ['queries' => (int) preg_replace('/\D+/', '', $said)];
    }

    /**
     * Loads a million rows three times without and with a treatment, in turn, and compares the medians.
     *
     * @param  array<string, mixed>  $treatment
     * @param  array<string, int>  $figures  told besides
     */
    public function compare(string $name, array $treatment, array $figures = []): void
    {
        $ours = $floor = $peaks = $queries = [];
        for ($round = 0; $round < 3; $round++) {
            foreach ([null, $treatment] as $one) {
                $this->bench->connect('target')->exec('CHECKPOINT');
                $run = $this->load(1_000_000, $one);
                if ($one === null) {
                    $floor[] = $run['seconds'];
                } else {
                    [$ours[], $peaks[], $queries[]] = [$run['seconds'], $run['peak'], $run['queries']];
                }
            }
        }
        $this->bench->tell($name, ['ratio' => self::median($ours) / self::median($floor), 'ours' => number_format(self::median($ours), 1).'s', 'floor' => number_format(self::median($floor), 1).'s', 'rows' => 1_000_000] + $figures + (max($queries) === 0 ? [] : ['queries' => max($queries)]) + ['peak' => round(max($peaks) / 1e6).'MB']);
    }

    /** @param  list<float>  $values */
    public static function median(array $values): float
    {
        sort($values);

        return $values[intdiv(count($values), 2)];
    }
}
