<?php

declare(strict_types=1);

namespace Lighterman\Core\Trouble;

/** A file cannot be read as it has to be. */
final class FileTrouble extends SystemTrouble
{
    private function __construct(Reason $reason, string $message, Remedy|string $remedy, public readonly string $path, bool $mayPass = false)
    {
        parent::__construct($reason, $message, $remedy, $mayPass);
    }

    /** @param  string  $what  was done to it, as in "removed" */
    public static function changing(string $path, string $what): self
    {
        return new self(Reason::FileChanging, "{$path} was {$what} while it was read.", 'Nothing of it has landed. It is taken again once nobody writes to it; a longer quiet time helps where this happens often.', $path, true);
    }

    /** A connection broke before all of it had come. */
    public static function cut(string $system, string $path, int $came, int $bytes): self
    {
        return new self(Reason::CutShort, "{$system}: of {$path} {$came} of {$bytes} bytes came.", 'Nothing of it was kept. Lighterman tries again; if it stays so, look at the store and at the way there.', $path, true);
    }

    /** What came is not what the place has, by the checksum that it keeps. */
    public static function altered(string $system, string $path): self
    {
        return new self(Reason::Altered, "{$system}: {$path} came with other bytes than its checksum is of.", 'Nothing of it was kept. Lighterman tries again; if it stays so, look at the way there, and have the file put there anew.', $path, true);
    }

    /** @param  string  $said  a sentence */
    public static function broken(string $path, string $said, string $remedy): self
    {
        return new self(Reason::BrokenFile, $said, $remedy, $path);
    }

    public static function damaged(string $path, string $fault): self
    {
        return new self(Reason::DamagedFile, "{$path} is not as it was written: {$fault}.", new Remedy('Somebody else has changed it. Put it back from a copy, or start the feed over; where no feed wrote it, scan the lake again.', Act::StartOver), $path);
    }

    /** A page on which it stands what feeds have landed. */
    public static function damagedPage(string $path, string $fault): self
    {
        return new self(Reason::DamagedFile, "{$path} is not as it was written: {$fault}.", 'Put it back from a copy. Without one, remove it: the page before it counts then, and what came since is brought again.', $path, true);
    }

    public static function unreadable(string $system, string $path): self
    {
        return new self(Reason::Unreadable, "{$system}: ".($path === '' ? 'the folder' : $path).' cannot be read.', 'Give the account that Lighterman runs under the right to read it. Lighterman tries again.', $path, true);
    }

    public static function sameNames(string $path, string $name): self
    {
        return new self(Reason::SameNames, "{$path}: more than one column is called \"{$name}\".", 'Say that the file has no line of names, or name the columns for path and line otherwise.', $path);
    }

    /** @param  string  $said  a sentence */
    public static function pattern(string $pattern, string $said): self
    {
        return new self(Reason::NoPattern, $said, 'Correct the pattern.', $pattern);
    }

    public static function full(string $path): self
    {
        return new self(Reason::DiskFull, "{$path} cannot be written to its end.", 'Free space on the disk of the lake. Lighterman tries again.', $path, true);
    }
}
