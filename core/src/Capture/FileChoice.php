<?php

declare(strict_types=1);

namespace Lighterman\Core\Capture;

use DateTimeImmutable;
use Lighterman\Core\Position\FileMark;

/** Which of the files that were found a run takes. */
final readonly class FileChoice
{
    /**
     * @param  list<FileMark>  $take  to be read, in the order in which they arrived
     * @param  list<FileMark>  $changed  taken before and not the same any more, to be set aside
     * @param  list<FileMark>  $growing  that may still be written to, and are left for a later run
     * @param  string  $completeUpTo  ISO 8601, UTC: everything that had arrived by then is taken once the run is done
     */
    private function __construct(public array $take, public array $changed, public array $growing, public string $completeUpTo)
    {
    }

    /**
     * @param  iterable<FileMark>  $found
     * @param  array<string, FileMark>  $known  files taken before, by path
     * @param  array<string, true>  $asked  paths that a person wants taken again, whatever is known of them
     * @param  int  $quiet  seconds since a file was last written to before it is taken
     * @param  string  $now  by the clock that all workers go by, ISO 8601, UTC
     * @param  array<string, string>  $steady  since when recent files have been as they are, by the same clock and by path
     */
    public static function of(iterable $found, array $known, array $asked, ChangedFile $changed, int $quiet, string $now, array $steady = []): self
    {
        $take = $apart = $growing = [];
        $oldest = $now;
        $until = self::until($now, $quiet);
        foreach ($found as $file) {
            $before = isset($asked[$file->path]) ? null : $known[$file->path] ?? null;
            if ($before !== null && ($changed === ChangedFile::Ignore || $file->isSame($before))) {
                continue;
            }
            // Times are told by another clock; one ahead of ours says nothing of when somebody wrote. What was seen as it is now
            // was not written to since. Both are judged alike, so that no file passes one that came before it.
            $seen = $steady[$file->path] ?? $now;
            $written = $file->modified <= $now ? min($file->modified, $seen) : $seen;
            if ($written > $until) {
                $growing[] = $file;
                $oldest = min($oldest, $written);
            } elseif ($before !== null && $changed === ChangedFile::SetAside) {
                $apart[] = $file;
            } else {
                $take[] = $file;
            }
        }
        $order = static fn (FileMark $a, FileMark $b): int => [$a->modified, $a->path] <=> [$b->modified, $b->path];
        usort($take, $order);
        usort($apart, $order);

        return new self($take, $apart, $growing, $oldest);
    }

    /** A file that nobody has written to since then may be taken. */
    public static function until(string $now, int $quiet): string
    {
        return (new DateTimeImmutable($now))->modify("-{$quiet} seconds")->format('Y-m-d\TH:i:s\Z');
    }
}
