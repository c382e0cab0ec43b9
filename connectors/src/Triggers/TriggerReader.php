<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Triggers;

use Generator;
use Lighterman\Connectors\SteadyClock;
use Lighterman\Core\Capture\Log\Begin;
use Lighterman\Core\Capture\Log\Commit;
use Lighterman\Core\Capture\Log\LoggedRow;
use Lighterman\Core\Capture\Log\Mark;
use Lighterman\Core\Capture\Log\Relation;
use Lighterman\Core\Capture\Log\Truncated;
use Lighterman\Core\Capture\Log\Unclear;
use Lighterman\Core\Port\LogReader;
use Lighterman\Core\Position\Place;
use Lighterman\Core\Position\ReadingPlace;
use Lighterman\Core\Trouble\StreamTrouble;

/**
 * Reads a change table as a change log: reading after reading, unit after unit.
 *
 * A place is the number of a reading in its upper half and, in its lower half, how many units of it have passed. Marks are
 * not written anywhere: one that opens something comes before the next reading, one that closes something after it.
 */
final class TriggerReader implements LogReader
{
    /** Milliseconds between two looks at a change table that brings nothing. */
    private const PAUSE = 100;

    private Reading $reading;

    private int $passed;

    /** @var Generator<int, StoredChange>|null changes of the reading that are still to come */
    private ?Generator $changes = null;

    /** Units of the reading that had been landed before. */
    private int $skip;

    private ?string $unit = null;

    /** @var list<Begin|Commit|Relation|LoggedRow|Truncated|Unclear|Mark> */
    private array $queue = [];

    private readonly AskedMarks $marks;

    /** Whether the readings that a reader before this one has written down are behind. */
    private bool $fresh = false;

    private readonly Relations $relations;

    private readonly EndedReadings $ended;

    private float $lookedAt = 0.0;

    private float $waited = 0.0;

    private int $size = 0;

    private int $latest = 0;

    public function __construct(private readonly ChangeTable $table, string $system, ReadingPlace $from)
    {
        $number = $from->reading;
        $before = $number === 0 ? null : $table->reading($number - 1);
        $reading = $table->reading($number) ?? throw StreamTrouble::changesGone($system, "{$system}: the change table {$table->name()} does not know reading {$number}, up to which this route has landed.");
        $this->marks = new AskedMarks;
        $this->relations = new Relations;
        $this->ended = new EndedReadings($table);
        $this->reading = $reading;
        $this->latest = $reading->at;
        $this->passed = $from->passed;
        $this->skip = $this->passed;
        if ($before !== null) {
            // It may have landed in part; where it landed whole its changes are gone, or skipped.
            $this->changes = $table->between($before, $reading);
            $this->passed = 0;
        }
    }

    public function mark(string $content, bool $after): void
    {
        $this->marks->ask($content, $after);
    }

    public function next(int $wait): Begin|Commit|Relation|LoggedRow|Truncated|Unclear|Mark|null
    {
        for ($until = SteadyClock::seconds() + $wait / 1000; ; $this->pause($until)) {
            if ($this->queue === []) {
                $this->changes === null ? $this->look() : $this->advance();
            }
            $message = array_shift($this->queue);
            if ($message !== null) {
                return $message;
            }
            if ($this->changes === null && SteadyClock::seconds() >= $until) {
                return null;
            }
        }
    }

    private function pause(float $until): void
    {
        if ($this->changes !== null || $this->queue !== []) {
            return;
        }
        $clock = hrtime(true);
        usleep((int) max(0, min(self::PAUSE * 1000, ($until - SteadyClock::seconds()) * 1e6)));
        $this->waited += (hrtime(true) - $clock) / 1e6;
    }

    private function look(): void
    {
        $this->placed($this->marks->opening());
        if (! $this->marks->closes() && $this->queue === [] && SteadyClock::seconds() - $this->lookedAt < self::PAUSE / 1000) {
            return;
        }
        $this->lookedAt = SteadyClock::seconds();
        $stored = $this->fresh ? null : $this->table->reading($this->reading->number + 1);
        $this->fresh = $stored === null;
        $next = $stored ?? $this->table->after($this->reading);
        if ($this->fresh) {
            // A reading that was written down before a mark was asked for does not hold what was there by then.
            $this->marks->close();
        }
        if ($next === null) {
            $this->placed($this->marks->closing());

            return;
        }
        $this->changes = $this->table->between($this->reading, $next);
        $this->reading = $next;
        $this->passed = $this->skip = 0;
    }

    /** @param  list<string>  $marks that take their place here */
    private function placed(array $marks): void
    {
        foreach ($marks as $content) {
            [$place, $unit] = [$this->place(), $this->unitHere()];
            $this->passed++;
            array_push($this->queue, new Begin($unit, $this->latest, 0), new Mark($place, 'lighterman', $content), new Commit($this->place(), $this->latest));
        }
    }

    /** After the units that have passed. */
    private function place(): ReadingPlace
    {
        return ReadingPlace::before($this->reading->number, $this->passed);
    }

    /** The unit that follows them. */
    private function unitHere(): ReadingPlace
    {
        return ReadingPlace::unitAfter($this->reading->number, $this->passed);
    }

    /** Takes the next change of the reading. */
    private function advance(): void
    {
        $changes = $this->changes;
        if ($changes === null) {
            return;
        }
        if (! $changes->valid()) {
            $this->endUnit();
            $this->changes = null;
            $this->passed = max($this->passed, $this->skip);
            $this->ended->add($this->place(), $this->reading);
            $this->placed($this->marks->closing());

            return;
        }
        $change = $changes->current();
        if ($this->unit !== $change->unit) {
            $this->endUnit();
            $this->unit = $change->unit;
            if ($this->passed >= $this->skip) {
                $this->queue[] = new Begin($this->unitHere(), $change->at, 0);
            }
        }
        $this->latest = max($this->latest, $change->at);
        if ($this->passed >= $this->skip) {
            $this->size = $change->bytes;
            $this->tell($change);
        }
        $changes->next();
    }

    private function endUnit(): void
    {
        if ($this->unit === null) {
            return;
        }
        $this->unit = null;
        $this->passed++;
        if ($this->passed > $this->skip) {
            $this->queue[] = new Commit($this->place(), $this->latest);
        }
    }

    private function tell(StoredChange $change): void
    {
        [$known, $isNew] = $this->relations->of($change);
        if ($isNew) {
            $this->queue[] = $known;
        }
        $this->queue[] = match ($change->kind) {
            'truncate' => new Truncated([$known]),
            'unclear' => new Unclear($known, 'a transaction altered the columns between two of its own changes'),
            default => new LoggedRow($known, $change->kind, $change->images->before, $change->images->after, $change->at),
        };
    }

    public function size(): int
    {
        return $this->size;
    }

    public function confirm(Place $to): void
    {
        $this->ended->confirm($to);
    }

    public function waited(): float
    {
        return $this->waited;
    }

    public function silence(): float
    {
        return $this->ended->silence();
    }

    public function close(): void
    {
        $this->changes = null;
    }
}
