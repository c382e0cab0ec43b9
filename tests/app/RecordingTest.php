<?php

declare(strict_types=1);

namespace Tests\App;

use App\Models\RouteLog;
use App\Runtime\Common\Systems;
use App\Runtime\Stream\Loads;
use App\Runtime\Stream\LogRecorder;
use App\Runtime\Stream\Recording;
use App\Runtime\Stream\Refusals;
use App\Runtime\Stream\RouteStream;
use App\Runtime\Treating\AsideBook;
use App\Runtime\Treating\WatchCounter;
use App\Runtime\Work\Leases;
use Lighterman\Core\Capture\Capture;
use Lighterman\Core\Carrying\CarriedFeed;
use Lighterman\Core\Carrying\Carrier;
use Lighterman\Core\Carrying\Roster;
use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Port\ChangeLog;
use Lighterman\Core\Position\Position;
use Lighterman\Core\Position\ReadingPlace;
use Lighterman\Core\Position\StartPosition;
use Lighterman\Core\Position\StreamPosition;
use Lighterman\Core\Record\Bounds;
use Lighterman\Core\Shape\TableName;
use PHPUnit\Framework\Attributes\Test;

final class RecordingTest extends AppCase
{
    private function carrier(string $name, Position $at): Carrier
    {
        $feed = $this->feed(['name' => $name, 'capture' => Capture::Trigger, 'landing' => Landing::Upsert, 'watermark' => null, 'landed' => new TableName('copy', $name)]);
        $definition = $feed->definition->parsed();

        return new Carrier(new CarriedFeed($feed->id, $feed->uid, $name, $feed->definition->id), $definition, $at, Bounds::of($definition->carried(), false, 1000, []), new AsideBook($feed->id, $feed->definition->id, $definition), new WatchCounter($feed->id, $definition));
    }

    /** Somebody may meddle right after it was looked, and what is put right silently is a gap that nobody ever heard of. */
    #[Test]
    public function what_records_the_changes_of_a_feed_that_has_begun_is_never_put_right_without_being_noticed(): void
    {
        [$begun, $new] = [$this->carrier('begun', StreamPosition::at('3/0')), $this->carrier('new', new StartPosition)];
        $log = RouteLog::with('route.source', 'route.target')->sole();
        $log->update(['read_to' => '3/0']);
        $changes = $this->createMock(ChangeLog::class);
        $changes->method('check')->willReturn([]);
        $changes->method('amiss')->willReturn([]);
        $changes->method('identities')->willReturn([]);
        $made = [];
        $changes->method('ensure')->willReturnCallback(static function (array $tables) use (&$made): ReadingPlace {
            $made[] = array_map(strval(...), $tables);

            return ReadingPlace::before(3, 0);
        });
        $lease = (new Leases('test'))->log($log->id);
        self::assertNotNull($lease);
        $stream = new RouteStream($log, $changes, app(Systems::class), new LogRecorder($lease), new Roster, $lease);
        $refusals = new Refusals($stream);
        $recording = new Recording($stream, $refusals, new Loads($stream));
        self::assertSame([$begun], $recording->begin([$begun], null));
        self::assertSame([], $made);
        self::assertSame([$new], $recording->begin([$new], null));
        self::assertSame([['public.loads']], $made);
    }
}
