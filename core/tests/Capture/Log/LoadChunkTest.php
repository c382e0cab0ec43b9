<?php

declare(strict_types=1);

namespace Lighterman\Core\Tests\Capture\Log;

use Lighterman\Core\Port\LoadChunk;
use PHPUnit\Framework\Attributes\Test;
use PHPUnit\Framework\TestCase;

final class LoadChunkTest extends TestCase
{
    #[Test]
    public function a_snapshot_sees_what_ended_before_it_and_nothing_that_ran_or_came_later(): void
    {
        $chunk = new LoadChunk([], true, [95, 97], 100, 0, 0);
        self::assertSame([true, false, true, false, true, false, false], array_map($chunk->saw(...), [94, 95, 96, 97, 99, 100, 5000]));
    }

    #[Test]
    public function numbers_of_transactions_may_wrap_round(): void
    {
        $chunk = new LoadChunk([], true, [], 5, 0, 0);
        self::assertTrue($chunk->saw(4));
        self::assertTrue($chunk->saw(0xFFFFFFF0), 'shortly before the wrap');
        self::assertFalse($chunk->saw(6));
        self::assertFalse((new LoadChunk([], true, [], 0xFFFFFFF0, 0, 0))->saw(3), 'shortly after it');
    }
}
