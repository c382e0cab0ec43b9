<?php

declare(strict_types=1);

namespace Lighterman\Core\Tests\Carrying;

use Lighterman\Core\Capture\Slice;
use Lighterman\Core\Carrying\AskedLoad;
use Lighterman\Core\Carrying\Gap;
use Lighterman\Core\Carrying\LoadProgress;
use PHPUnit\Framework\Attributes\Test;
use PHPUnit\Framework\TestCase;

final class AskedLoadTest extends TestCase
{
    #[Test]
    public function a_load_that_is_asked_for_survives_json(): void
    {
        self::assertSame(['mends' => true], AskedLoad::mending()->toArray());
        $asked = (new AskedLoad(Slice::range(['3'], ['9']), true, asked: '2026-11-30 10:00'))->begun();
        $again = AskedLoad::fromArray(json_decode((string) json_encode($asked->toArray()), true));
        self::assertEquals($asked, $again);
        self::assertTrue($again->begun && $again->mends);
        self::assertFalse($again->slice->isWhole());
        $gap = new Gap(new \DateTimeImmutable('2026-11-30T10:00:00+01:00'), 'A trigger was missing');
        self::assertEquals($gap, Gap::fromArray($gap->toArray()));
    }

    #[Test]
    public function progress_says_how_fast_and_how_long_yet(): void
    {
        $load = new LoadProgress(1000, 9000, 100.0, 1000);
        self::assertSame([null, null, 0.1111], [$load->rate(100.5), $load->left(100.5), round((float) $load->share(), 4)], 'nothing can be told in the first second');
        $later = $load->plus(2000);
        self::assertSame([200.0, 30.0], [$later->rate(110.0), $later->left(110.0)]);
        self::assertSame([0.99, null], [$later->plus(7000)->share(), $later->plus(7000)->left(110.0)], 'what was expected was an estimate');
        self::assertNull((new LoadProgress(5, null, 100.0, 0))->left(110.0));
        self::assertEquals($later, LoadProgress::fromArray($later->toArray()));
    }
}
