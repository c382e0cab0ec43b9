<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Tests;

use Lighterman\Connectors\Lake\LakeSettings;
use Lighterman\Connectors\Lake\LakeTarget;
use Lighterman\Connectors\Lake\Ledger;
use Lighterman\Connectors\Lake\LocalFolder;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Landing\Partition;

/** A fresh lake beside the databases. */
abstract class LakeCase extends PostgresCase
{
    protected string $path;

    protected LakeTarget $lake;

    protected function setUp(): void
    {
        parent::setUp();
        $this->path = sys_get_temp_dir().'/lake-'.bin2hex(random_bytes(5));
        mkdir($this->path);
        $this->lake = new LakeTarget($this->lakeSettings());
    }

    protected function tearDown(): void
    {
        exec('rm -rf '.escapeshellarg($this->path));
        parent::tearDown();
    }

    protected function lakeSettings(): LakeSettings
    {
        return new LakeSettings('lake', $this->path, 160, 2, "{$this->path}/_lighterman/spill");
    }

    /**
     * @param  list<string>  $key
     * @param  list<string>  $partitions
     * @param  array<string, mixed>  $more
     */
    protected function lakeFeed(string $table, ?string $watermark, array $key, Landing $landing = Landing::Upsert, array $partitions = [], array $more = []): FeedDefinition
    {
        return $this->feed($table, $watermark, $key, $landing, ['partitionBy' => Partition::all($partitions), ...$more]);
    }

    /** @return list<string> data files that lie in the lake's folder, whether they count or not */
    protected function dataFiles(): array
    {
        return array_values(array_filter((new LocalFolder('lake', $this->path))->files('.'), static fn (string $n): bool => str_ends_with($n, '.parquet')));
    }

    /** @return list<string> files that count, by the catalogue */
    protected function counted(string $table): array
    {
        return array_map(static fn ($f): string => $f->name, $this->lake->tables()[$table]->files);
    }

    /** @return list<array<string, string|null>> rows by a reader that shares nothing with what wrote them */
    protected function readByOthers(string $table): array
    {
        $paths = array_map(fn (string $n): string => escapeshellarg("{$this->path}/{$n}"), $this->counted($table));
        exec('cd '.escapeshellarg(dirname(__DIR__, 2)).' && node connectors/tests/read-parquet.mjs '.implode(' ', $paths), $lines, $code);
        self::assertSame(0, $code);

        return array_map(static fn (string $l): array => json_decode($l, true, 8, JSON_THROW_ON_ERROR), $lines);
    }

    protected function ledger(): Ledger
    {
        return new Ledger(new LocalFolder('lake', $this->path));
    }
}
