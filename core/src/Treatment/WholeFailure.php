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
     * A row that the target cannot hold.
     *
     * @param  list<string|false|null>  $row  as carried
     */
    public function unwritable(array $row, Unwritable $why): Judging
    {
        $judging = new Judging($this->treatment, $this->sheet, $this->treatment->explode === null ? $row : [...$row, null]);
        $judging->failures[] = new Failure(Unwritable::STEP, $why->reason, $why->message, Outcome::SetAside);

        return $judging;
    }
}
