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
     * @param  string  $now  by the clock of the system that holds the files, ISO 8601, UTC
     * @param  array<string, string>  $steady  since when files whose times lie ahead of that clock have been as they are, by path
     */
    public static function of(iterable $found, array $known, array $asked, ChangedFile $changed, int $quiet, string $now, array $steady = []): self
    {
        $take = $apart = $growing = [];
        $oldest = $now;
        $until = (new DateTimeImmutable($now))->modify("-{$quiet} seconds")->format('Y-m-d\TH:i:s\Z');
        foreach ($found as $file) {
            $before = isset($asked[$file->path]) ? null : $known[$file->path] ?? null;
            if ($before !== null && ($changed === ChangedFile::Ignore || $file->isSame($before))) {
                continue;
            }
            // A time ahead of the clock is told by another clock, and says nothing of when somebody wrote.
            $written = $file->modified <= $now ? $file->modified : $steady[$file->path] ?? $now;
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
}
