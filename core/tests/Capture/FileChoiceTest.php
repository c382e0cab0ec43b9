<?php

declare(strict_types=1);

namespace Lighterman\Core\Tests\Capture;

use Lighterman\Core\Capture\ChangedFile;
use Lighterman\Core\Capture\FileChoice;
use Lighterman\Core\Position\FileMark;
use PHPUnit\Framework\Attributes\Test;
use PHPUnit\Framework\TestCase;

final class FileChoiceTest extends TestCase
{
    private const NOW = '2026-11-24T12:00:00Z';

    private static function mark(string $path, string $clock, int $size = 10, ?string $checksum = null): FileMark
    {
        return new FileMark($path, $size, "2026-11-24T{$clock}Z", $checksum);
    }

    /**
     * @param  list<FileMark>  $files
     * @return list<string>
     */
    private static function paths(array $files): array
    {
        return array_map(static fn (FileMark $f): string => $f->path, $files);
    }

    #[Test]
    public function files_are_taken_in_the_order_in_which_they_were_written(): void
    {
        $choice = FileChoice::of([self::mark('b', '10:00:00'), self::mark('c', '09:00:00'), self::mark('a', '10:00:00')], [], [], ChangedFile::Again, 5, self::NOW);
        self::assertSame([['c', 'a', 'b'], [], [], self::NOW], [self::paths($choice->take), $choice->changed, $choice->growing, $choice->completeUpTo]);
    }

    #[Test]
    public function what_may_still_be_written_to_is_left_and_says_how_far_the_copy_is(): void
    {
        $found = [self::mark('quiet', '11:59:54'), self::mark('growing', '11:59:58'), self::mark('just now', '12:00:00'), self::mark('from a wrong clock', '15:00:00')];
        $choice = FileChoice::of($found, [], [], ChangedFile::Again, 5, self::NOW);
        self::assertSame([['quiet'], ['growing', 'just now', 'from a wrong clock'], '2026-11-24T11:59:58Z'], [self::paths($choice->take), self::paths($choice->growing), $choice->completeUpTo]);
        self::assertSame([], FileChoice::of($found, [], [], ChangedFile::Again, 0, '2026-11-24T12:00:01Z')->growing);
        // What it was when it was first seen so, and not what it says, tells whether somebody may be writing to it.
        $ahead = [self::mark('from a wrong clock', '15:00:00')];
        self::assertSame([[], '2026-11-24T11:59:57Z'], [self::paths(($choice = FileChoice::of($ahead, [], [], ChangedFile::Again, 5, self::NOW, ['from a wrong clock' => '2026-11-24T11:59:57Z']))->take), $choice->completeUpTo]);
        // Where all times lie ahead of ours, the older file is not passed by a newer one that has been seen as long.
        $two = [self::mark('older', '11:59:59'), self::mark('newer', '12:00:01')];
        $seen = ['older' => '2026-11-24T11:59:50Z', 'newer' => '2026-11-24T11:59:51Z'];
        self::assertSame(['older', 'newer'], self::paths(FileChoice::of($two, [], [], ChangedFile::Again, 5, self::NOW, $seen)->take));
        self::assertSame([], self::paths(FileChoice::of($two, [], [], ChangedFile::Again, 5, self::NOW)->take));
        self::assertSame(['from a wrong clock'], self::paths(FileChoice::of($ahead, [], [], ChangedFile::Again, 5, self::NOW, ['from a wrong clock' => '2026-11-24T11:59:50Z'])->take));
    }

    #[Test]
    public function a_file_that_was_taken_comes_again_only_if_it_changed_and_that_is_wanted(): void
    {
        $known = ['same' => self::mark('same', '10:00:00'), 'longer' => self::mark('longer', '10:00:00', 9), 'touched' => self::mark('touched', '09:00:00', 10, 'abc'), 'rewritten' => self::mark('rewritten', '09:00:00', 10, 'abc')];
        $found = [self::mark('same', '10:00:00'), self::mark('longer', '10:00:00'), self::mark('touched', '10:00:00', 10, 'abc'), self::mark('rewritten', '10:00:00', 10, 'def'), self::mark('new', '11:00:00')];
        foreach (['again' => [['longer', 'rewritten', 'new'], []], 'set_aside' => [['new'], ['longer', 'rewritten']], 'ignore' => [['new'], []]] as $way => [$take, $changed]) {
            $choice = FileChoice::of($found, $known, [], ChangedFile::from($way), 5, self::NOW);
            self::assertSame([$take, $changed], [self::paths($choice->take), self::paths($choice->changed)], $way);
        }
        self::assertSame(['same', 'new'], self::paths(FileChoice::of($found, $known, ['same' => true], ChangedFile::Ignore, 5, self::NOW)->take), 'what a person asks for is taken whatever is known of it');
    }
}
