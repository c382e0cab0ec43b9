<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment;

use Lighterman\Core\Record\Unwritable;
use Lighterman\Core\Treatment\Value\Fault;

/** Judges records that fail as a whole, before or after what is done to them. */
final readonly class WholeFailure
{
    /** @param  list<Line>  $sheet */
    public function __construct(private Treatment $treatment, private array $sheet)
    {
    }

    /**
     * A row whose list cannot be read.
     *
     * @param  list<string|false|null>  $row  as carried
     */
    public function unreadable(array $row, Fault $fault): Judging
    {
        $judging = new Judging($this->treatment, $this->sheet, [...$row, null]);
        $judging->failures[] = new Failure((string) $this->treatment->explode?->sentence(), $fault->reason, "{$this->treatment->explode?->column}: {$fault->getMessage()}", $this->treatment->failing ?? Outcome::SetAside);

        return $judging;
    }

    /**
     * A row that no target can hold.
     *
     * @param  list<string|false|null>  $row  as carried
     */
    public function unwritable(array $row, Unwritable $why): Judging
    {
        return $this->judged($this->treatment->explode === null ? $row : [...$row, null], $why, Outcome::SetAside);
    }

    /**
     * A record that the target refuses.
     *
     * @param  list<string|false|null>  $record  as treated
     */
    public function refused(array $record, Unwritable $why): Judging
    {
        return $this->judged($record, $why, $this->treatment->refused());
    }

    /** @param  list<string|false|null>  $record */
    private function judged(array $record, Unwritable $why, Outcome $outcome): Judging
    {
        $judging = new Judging($this->treatment, $this->sheet, $record);
        $judging->failures[] = new Failure(Unwritable::STEP, $why->reason, $why->message, $outcome);

        return $judging;
    }
}
