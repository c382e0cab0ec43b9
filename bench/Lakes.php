<?php

declare(strict_types=1);

/** What the benchmarks of the lake share: a lake beside the bench server, and deliveries to it by a worker process of its own. */
final class Lakes
{
    public readonly string $path;

    public function __construct(private readonly Bench $bench)
    {
        $this->path = (getenv('LIGHTERMAN_VAR') ?: dirname(__DIR__).'/var').'/bench/lake';
        $this->clear();
        $bench->lighterman(['system:add', 'lake', '--kind=lake', "--path={$this->path}"]);
    }

    /** Forgets feeds and files. */
    public function clear(): void
    {
        $this->bench->connect('lighterman')->exec("DELETE FROM feeds WHERE name = 'loads'");
        exec('rm -rf '.escapeshellarg($this->path).'; mkdir -p '.escapeshellarg($this->path));
    }

    /** @param  list<string>  $partitions */
    public function begin(array $partitions = []): void
    {
        $file = tempnam(sys_get_temp_dir(), 'bench').'.json';
        $feed = ['table' => 'public.loads', 'watermark' => 'updated_at', 'landing' => 'upsert', 'landed' => 'bench.loads', 'schedule' => ['manual' => true]] + ($partitions === [] ? [] : ['partition_by' => $partitions]);
        file_put_contents($file, json_encode(['source' => 'source', 'target' => 'lake', 'feeds' => [$feed]], JSON_THROW_ON_ERROR));
        $this->bench->lighterman(['route:load', $file]);
        unlink($file);
    }

    /** @return array{seconds: float, peak: int, out: string} */
    public function run(int $rows): array
    {
        $run = $this->bench->lighterman(['feed:run', 'loads', '--json']);
        $landed = array_sum(array_column($this->files(), 'rows'));
        if ($landed !== $rows) {
            fwrite(STDERR, "landed {$landed} rows instead of {$rows}\n");
            exit(1);
        }

        return $run;
    }

    /** @return list<array<string, mixed>> files that count, by the catalogue */
    public function files(): array
    {
        $pages = glob("{$this->path}/_lighterman/feeds/*/*.json") ?: [];
        $page = json_decode((string) file_get_contents((string) end($pages)), true, 32, JSON_THROW_ON_ERROR);

        return $page['tables']['bench.loads']['files'];
    }
}
