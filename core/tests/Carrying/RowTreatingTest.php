<?php

declare(strict_types=1);

namespace Lighterman\Core\Tests\Carrying;

use Lighterman\Core\Capture\Capture;
use Lighterman\Core\Carrying\ApartPlace;
use Lighterman\Core\Carrying\Aside;
use Lighterman\Core\Carrying\RowTreating;
use Lighterman\Core\Carrying\Watched;
use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Position\FileMark;
use Lighterman\Core\Position\StartPosition;
use Lighterman\Core\Position\WatermarkPosition;
use Lighterman\Core\Record\Batch;
use Lighterman\Core\Record\Bounds;
use Lighterman\Core\Record\Stretch;
use Lighterman\Core\Record\Unreadable;
use Lighterman\Core\Record\Unwritable;
use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Shape\Type;
use Lighterman\Core\Tests\Definition\Definitions;
use Lighterman\Core\Treatment\Apart;
use Lighterman\Core\Treatment\Reach;
use Lighterman\Core\Treatment\RowCompiler;
use Lighterman\Core\Treatment\Treated;
use Lighterman\Core\Treatment\Treater;
use Lighterman\Core\Treatment\Treatment;
use PHPUnit\Framework\Attributes\Test;
use PHPUnit\Framework\TestCase;

final class RowTreatingTest extends TestCase implements Aside, Watched
{
    /** @var list<string> what was asked of where records are set aside, and of who counts */
    private array $told = [];

    /** @var list<string> */
    private array $waiting = [];

    public function begin(int $landed): void
    {
        $this->told[] = "begins after {$landed}";
    }

    public function add(Apart|int $apart, ApartPlace|Treated $from): void
    {
        $this->told[] = is_int($apart) ? "counts {$apart}" : "sets {$apart->row[0]} aside for receipt {$from->sequence}: {$apart->judging->decisive()?->reason}";
    }

    public function addUnwritable(array $row, Unwritable $why, ApartPlace $from): void
    {
        $this->told[] = "cannot write {$row[0]}: {$why->reason}";
    }

    public function addUnreadable(Unreadable $unreadable, array $carried, int $run, int $sequence): void
    {
        $this->told[] = "cannot read line {$unreadable->number} in run {$run}";
    }

    public function taken(array $files, int $sequence): void
    {
        $this->told[] = 'takes '.implode(', ', array_map(static fn (FileMark $f): string => $f->path, $files));
    }

    public function overtakeAll(int $sequence): void
    {
        $this->told[] = "all is overtaken by {$sequence}";
    }

    public function flush(): void
    {
    }

    public function forget(): void
    {
    }

    public function anyWaiting(): bool
    {
        return $this->waiting !== [];
    }

    public function isWaiting(string $hash): bool
    {
        return in_array($hash, $this->waiting, true);
    }

    public function hash(array $row): string
    {
        return (string) $row[0];
    }

    public function lastOf(string $hash): array
    {
        return [];
    }

    public function overtake(array $hashes, int $sequence): void
    {
        $this->told[] = implode(', ', $hashes)." overtaken by {$sequence}";
    }

    /** @param  array<string, mixed>|null  $treatment */
    private function treating(?array $treatment, Landing $landing = Landing::Upsert, Capture $capture = Capture::Watermark): RowTreating
    {
        $shape = new Shape([new Column('id', Type::parse('int32'), false), new Column('kg', Type::parse('int32')), new Column('day', Type::parse('date'))], ['id']);
        $read = Treatment::fromArray($treatment ?? []);
        $definition = Definitions::of('loads', new TableName('public', 'loads'), $shape, $capture, ['id'], $landing, new TableName('copy', 'loads'), watermark: $capture === Capture::Watermark ? 'day' : null, treatment: $read);
        $treater = $treatment === null ? null : new Treater(new RowCompiler($shape, $read, new Reach(static fn (): string => '')), $read, []);
        $treating = new RowTreating($definition, $treater, Bounds::of($shape, true, 1000), $this, $this, 7);
        $treating->begin(4);

        return $treating;
    }

    /** @param  list<Unreadable>  $unreadable */
    private static function batch(string $encoded, bool $closes = true, array $unreadable = []): Batch
    {
        return new Batch(new Shape([new Column('id', Type::parse('int32')), new Column('kg', Type::parse('int32')), new Column('day', Type::parse('date'))]), $encoded, new Stretch(new StartPosition, new WatermarkPosition('2026-11-30', ['9']), null, $closes), unreadable: $unreadable);
    }

    #[Test]
    public function what_the_target_cannot_hold_and_what_was_no_row_is_set_aside_and_the_rest_lands(): void
    {
        $batch = $this->treating(null)->treat(self::batch("1\t5\t2026-01-01\n2\t6\t0000-00-00\n", unreadable: [new Unreadable('a.csv', 3, 'fields', 'it has 2 fields', [], 'x,y')]), false);
        self::assertSame(["1\t5\t2026-01-01\n", 1, 2], [$batch->encoded, $batch->rows, $batch->setAside]);
        self::assertSame(['begins after 4', 'cannot read line 3 in run 7', 'takes ', 'cannot write 2: no_date'], $this->told);
        self::assertSame(self::batch("1\t5\t\\N\n")->checksum(), $this->treating(null)->treat(self::batch("1\t5\t\\N\n"), false)->checksum(), 'what is fine goes as it came');
    }

    #[Test]
    public function what_waits_of_a_row_is_overtaken_by_a_newer_version_of_it(): void
    {
        $this->waiting = ['2'];
        $this->treating(null)->treat(self::batch("1\t5\t\\N\n2\t6\t\\N\n"), false);
        self::assertContains('2 overtaken by 5', $this->told);
        $this->told = [];
        $this->treating(null, Landing::Append)->treat(self::batch("2\t6\t\\N\n"), false);
        self::assertSame(['begins after 4', 'takes '], $this->told, 'where rows are appended none takes the place of another');
        $replacing = $this->treating(null, Landing::Replace, Capture::Reload);
        $replacing->treat(self::batch("2\t6\t\\N\n", closes: false), true);
        self::assertNotContains('all is overtaken by 5', $this->told);
        $replacing->treat(self::batch("3\t6\t\\N\n"), true);
        self::assertContains('all is overtaken by 5', $this->told, 'once the whole table has been read');
    }

    #[Test]
    public function records_are_treated_counted_parted_and_taken_in_again(): void
    {
        $treating = $this->treating(['columns' => [['from' => 'kg', 'steps' => [['derive' => '100 / kg']]]], 'failing' => 'set_aside', 'otherwise' => 'drop', 'forks' => [['name' => 'small', 'when' => 'kg < 30', 'landed' => 'copy.small']]]);
        $batch = $treating->treat(self::batch("1\t5\t\\N\n2\t0\t\\N\n3\t2\t\\N\n"), false);
        self::assertSame(['', ['small' => "1\t20\t\\N\n"], "3\n", 1, 1], [$batch->encoded, $batch->forked, $batch->gone, $batch->dropped, $batch->setAside], 'what a choice keeps out leaves where it stood');
        self::assertContains('sets 2 aside for receipt 5: division_by_zero', $this->told);
        self::assertContains('counts 1', $this->told);
        $treating->landedAs(5);
        self::assertSame(6, $treating->sequence());

        self::assertTrue($treating->again(['2', '10', null]));
        self::assertInstanceOf(Apart::class, $treating->again(['4', '0', null]));
        self::assertFalse($treating->again(['5', '1', null]), 'it takes no fork, and is dropped');
        $again = $treating->takenAgain(new WatermarkPosition('2026-11-30', ['9']));
        self::assertSame([['small' => "2\t10\t\\N\n"], "5\n", 1, 1], [$again->forked, $again->gone, $again->dropped, $again->setAside]);
        self::assertSame(0, $treating->takenAgain(new StartPosition)->rows, 'what was taken in is landed once');
    }
}
