<?php

declare(strict_types=1);

namespace Lighterman\Core\Trouble;

/** A query of somebody's own did not come to its end. */
final class QueryTrouble extends SystemTrouble
{
    private const LESS = 'Ask for less: a partition, a sample, or fewer columns.';

    private function __construct(Reason $reason, string $message, string $remedy)
    {
        parent::__construct($reason, $message, $remedy, false);
    }

    public static function stopped(): self
    {
        return new self(Reason::Stopped, 'The query was stopped.', 'Run it again, or ask for less.');
    }

    public static function tooLong(int $seconds): self
    {
        return new self(Reason::TooLong, "The query took longer than {$seconds} s and was stopped.", self::LESS);
    }

    public static function outOfMemory(): self
    {
        return new self(Reason::OutOfMemory, 'The query ended without an answer: it asked for more memory than it may have.', self::LESS);
    }

    /** @param  string  $said  a sentence */
    public static function refused(string $said, ?string $remedy = null): self
    {
        return new self(Reason::Refused, $said, $remedy ?? 'Correct the statement and run it again.');
    }

    /** @param  string  $said  a sentence */
    public static function unfitValue(string $said): self
    {
        return new self(Reason::UnfitValue, "The result cannot be written as Parquet. {$said}", 'Convert the column in the statement, to text for instance.');
    }

    public static function tooMany(string $table, int $most): self
    {
        return new self(Reason::TooMany, "{$table} holds more than ".number_format($most).' values to look up.', 'Land the files in a database first, and look up there.');
    }

    public static function nothingLanded(string $system): self
    {
        return new self(Reason::NothingLanded, "No feed lands in {$system}, so it is not asked in SQL.", 'Ask a system that holds landed tables.');
    }

    public static function noAccount(string $system): self
    {
        return new self(Reason::NothingLanded, "{$system} is not asked in SQL, for there is no account that may do nothing but read what has landed there.", "Give it one on the page of {$system}, under Queries by people.");
    }

    public static function tooManyAtOnce(string $whose, int $most): self
    {
        return new self(Reason::TooMany, "{$whose} are under way, and no more than {$most} may be.", 'Wait for one to end, or stop one.');
    }
}
