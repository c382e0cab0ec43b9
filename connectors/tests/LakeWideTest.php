<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Tests;

use Lighterman\Connectors\Lake\LakeSettings;
use Lighterman\Connectors\Lake\LakeTarget;
use Lighterman\Core\Landing\FileWriting;
use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Trouble\SystemTrouble;
use PHPUnit\Framework\Attributes\Test;
use PHPUnit\Framework\Attributes\TestWith;

/** Tables of very many columns, within the memory that the engine has. */
final class LakeWideTest extends LakeCase
{
    private int $memory = 160;

    protected function lakeSettings(): LakeSettings
    {
        return new LakeSettings('lake', $this->path, $this->memory, 2, "{$this->path}/_lighterman/spill");
    }

    #[Test]
    #[TestWith(['parquet'])]
    #[TestWith(['avro'])]
    public function five_hundred_columns_are_written_and_merged_in_the_memory_that_is_said(string $format): void
    {
        $columns = implode(', ', array_map(static fn (int $i): string => "c{$i} text", range(1, 500)));
        $values = implode(', ', array_map(static fn (int $i): string => "md5((g * {$i})::text)::varchar(14)", range(1, 500)));
        $this->gate->run("CREATE TABLE t (id int PRIMARY KEY, updated_at timestamptz NOT NULL DEFAULT now(), {$columns}); INSERT INTO t SELECT g, now() - interval '1 day', {$values} FROM generate_series(1, 8000) g");
        $feed = $this->lakeFeed('t', 'updated_at', ['id'], Landing::Upsert, [], ['writing' => FileWriting::fromArray(['format' => $format])]);
        $this->carry($feed, into: $this->lake);
        $this->gate->run("UPDATE t SET c5 = 'other', updated_at = clock_timestamp() WHERE id % 2 = 0");
        $this->settle();
        try {
            $this->carry($feed, into: $this->lake);
            self::fail('It was merged in 160 MB.');
        } catch (SystemTrouble $trouble) {
            self::assertSame(['out_of_memory', true], [$trouble->reason->value, $trouble->mayPass()]);
            self::assertStringContainsString('Set LIGHTERMAN_LAKE_MEMORY_MB to 604 or more', (string) $trouble->remedy());
            self::assertContains('Set LIGHTERMAN_LAKE_MEMORY_MB to 604 and start Lighterman again, or leave columns out.', array_column($this->lake->prepare($feed->landedTable(), 'feed-t')->findings, 'remedy'));
        }
        $this->memory = 604;
        $this->lake = new LakeTarget($this->lakeSettings());
        $this->carry($feed, into: $this->lake);
        self::assertSame([['8000', '4000']], $this->lake->query("SELECT count(*), count(*) FILTER (WHERE c5 = 'other') FROM gate.t", 1, 120)->rows);
    }
}
