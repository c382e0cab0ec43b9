<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment;

/** Why a record did not pass as it should. */
final readonly class Failure
{
    /**
     * @param  string  $step  what failed, in words: the column with its treatment, or the check
     * @param  string  $reason  a code, under which failures are grouped
     * @param  string  $message  with the offending value, unless a mask hides it
     * @param  int|null  $line  of the sheet, where a treatment failed
     * @param  int|null  $at  step of the line
     * @param  int|null  $check  where a check failed
     */
    public function __construct(public string $step, public string $reason, public string $message, public Outcome $outcome, public ?int $line = null, public ?int $at = null, public ?int $check = null)
    {
    }
}
