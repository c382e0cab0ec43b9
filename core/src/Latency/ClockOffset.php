<?php

declare(strict_types=1);

namespace Lighterman\Core\Latency;

use DateTimeImmutable;

/**
 * How far another machine's clock is ahead of ours, from one question and its answer: the answer is taken to have been
 * given half way between them, so the true offset lies within half the time the question took.
 *
 * @see https://www.rfc-editor.org/rfc/rfc5905 section 8, for the estimate and its bound
 */
final readonly class ClockOffset
{
    /**
     * @param  int  $ahead  microseconds
     * @param  int  $uncertain  microseconds either way
     */
    public function __construct(public int $ahead, public int $uncertain)
    {
    }

    /**
     * What our clock said when theirs said this.
     *
     * @param  int  $theirs  microseconds since 1970 UTC
     */
    public function ours(int $theirs): int
    {
        return $theirs - $this->ahead;
    }

    /**
     * @param  string  $time  ISO 8601
     * @return int microseconds since 1970 UTC
     */
    public static function micros(string $time): int
    {
        return (int) (new DateTimeImmutable($time))->format('Uu');
    }

    /** All in microseconds since 1970 UTC: our clock when asked, theirs in the answer, ours when it came. */
    public static function between(int $asked, int $theirs, int $answered): self
    {
        return new self($theirs - intdiv($asked + $answered, 2), intdiv($answered - $asked, 2) + 1);
    }
}
