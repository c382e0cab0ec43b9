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
     */
    public static function of(iterable $found, array $known, array $asked, ChangedFile $changed, int $quiet, string $now): self
    {
        $take = $apart = $growing = [];
        $until = (new DateTimeImmutable($now))->modify("-{$quiet} seconds")->format('Y-m-d\TH:i:s\Z');
        foreach ($found as $file) {
            $before = isset($asked[$file->path]) ? null : $known[$file->path] ?? null;
            if ($before !== null && ($changed === ChangedFile::Ignore || $file->isSame($before))) {
                continue;
            }
            // What lies in the future is told by a wrong clock and not by writing.
            if ($file->modified > $until && $file->modified <= $now) {
                $growing[] = $file;
            } elseif ($before !== null && $changed === ChangedFile::SetAside) {
                $apart[] = $file;
            } else {
                $take[] = $file;
            }
        }
        $order = static fn (FileMark $a, FileMark $b): int => [$a->modified, $a->path] <=> [$b->modified, $b->path];
        usort($take, $order);
        usort($apart, $order);
        $oldest = array_reduce($growing, static fn (string $least, FileMark $f): string => min($least, $f->modified), $now);

        return new self($take, $apart, $growing, $oldest);
    }
}
