<?php

declare(strict_types=1);

namespace App\Feeds;

use App\Models\Feed;
use App\Models\MaskKey;
use App\Runtime\Common\Systems;
use App\Runtime\Treating\Treating;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Format\CopyText;
use Lighterman\Core\Landing\LandedTable;
use Lighterman\Core\Landing\Trial;
use Lighterman\Core\Port\Sampling;
use Lighterman\Core\Record\Bounds;
use Lighterman\Core\Record\Unwritable;
use Lighterman\Core\Treatment\Check;
use Lighterman\Core\Treatment\Fork;
use Lighterman\Core\Treatment\InvalidTreatment;
use Lighterman\Core\Treatment\Judging;
use Lighterman\Core\Treatment\Outcome;
use Lighterman\Core\Treatment\Reach;
use Lighterman\Core\Treatment\RowCompiler;
use Lighterman\Core\Treatment\Treater;
use Lighterman\Core\Treatment\Treatment;
use Lighterman\Core\Treatment\Value\Fault;
use Lighterman\Core\Trouble\SystemTrouble;

/** Runs records through a feed, writes nothing anywhere, and tells of each what happened, step by step. */
final readonly class Rehearsal
{
    /** Rows that are looked through for those that satisfy a condition. */
    public const THROUGH = 5000;

    public const MOST = 200;

    private Treater $treater;

    private RowCompiler $rows;

    private Bounds $bounds;

    public function __construct(private Feed $feed, public FeedDefinition $definition, private Systems $systems)
    {
        $this->rows = Treating::compiled($definition);
        $this->bounds = Treating::bounds($definition, $feed->route->target);
        $this->treater = new Treater($this->rows, $definition->treatment, Treating::stamps($feed->route->source->name, (int) $feed->last_run_id));
    }

    /** @return list<list<string|null>> */
    public function sample(Sampling $which, int $most): array
    {
        return array_slice($this->systems->source($this->feed->route->source)->some($this->definition, $which, min($most, self::MOST)), 0, $most);
    }

    /**
     * Of the last rows, those that satisfy an expression over the columns as they are read.
     *
     * @return list<list<string|null>>
     *
     * @throws InvalidTreatment if the expression cannot be computed
     */
    public function where(string $expression, int $most): array
    {
        $treatment = new Treatment(checks: [new Check('expression', [], ['expression' => $expression], Outcome::Drop)]);
        $rows = new RowCompiler($this->definition->carried(), $treatment, new Reach(MaskKey::secretOf(...)));
        foreach ($rows->errors->checks as $error) {
            throw InvalidTreatment::of("The condition: {$error->getMessage()}");
        }
        $condition = new Treater($rows, $treatment, []);
        $found = [];
        foreach ($this->systems->source($this->feed->route->source)->some($this->definition, Sampling::last(), self::THROUGH) as $row) {
            if (count($found) < $most && $condition->look($row)->failures === []) {
                $found[] = $row;
            }
        }

        return $found;
    }

    /**
     * The records that become of rows.
     *
     * @param  list<list<string|false|null>>  $rows  in the order of the carried columns
     * @return list<list<string|false|null>|Judging>
     */
    public function records(array $rows): array
    {
        $records = [];
        foreach ($rows as $row) {
            if (($unwritable = $this->bounds->fault($row)) !== null) {
                $records[] = $this->treater->whole->unwritable($row, $unwritable);

                continue;
            }
            try {
                array_push($records, ...$this->treater->explosion->records($row));
            } catch (Fault $fault) {
                $records[] = $this->treater->whole->unreadable($row, $fault);
            }
        }

        return array_slice($records, 0, self::MOST);
    }

    /**
     * What happens to one record. Values that a mask hides are left out.
     *
     * @param  list<string|false|null>|Judging  $row  in the order of the treated columns, or why it could not be made a record
     * @return array{record: array<string, string|null>, outcome: string, failures: list<array<string, mixed>>, steps: list<array<string, mixed>>, checks: list<array<string, mixed>>, forks: list<array{fork: string, when: string, takes: bool|null}>, further: list<array<string, mixed>>, table: string|null, lands: array<string, string|null>|null, writes: string|null}
     */
    public function of(array|Judging $row): array
    {
        $judged = $row instanceof Judging ? $row : $this->treater->look($row);
        $read = $this->definition->treated()->names();
        $treatment = $this->definition->treatment;
        $outcome = $judged->outcome();
        $lands = in_array($outcome, [null, Outcome::Warn], true);
        $lands = $lands && $judged->fork !== Fork::DROPPED;
        $lands && $this->treater->remember($judged);
        if ($lands && ($refused = $this->refused($judged)) !== null) {
            $judged = $this->treater->whole->refused($judged->row, $refused);
            [$lands, $outcome] = [false, $judged->outcome()];
        }
        $landed = array_map(static fn (string|false|null $v): ?string => $v === false ? null : $v, $judged->landed());
        $table = $this->table($judged);

        return [
            'record' => array_combine($read, array_map(static fn (string $c, string|false|null $v): ?string => ! is_string($v) ? null : ($treatment->hides($c) ? Judging::HIDDEN : mb_scrub($v)), $read, $judged->row)),
            'outcome' => match ($outcome) {
                null => $lands ? 'lands' : 'dropped', Outcome::Warn => $lands ? 'lands, with a warning' : 'dropped', Outcome::Drop => 'dropped', Outcome::SetAside => 'set aside', Outcome::Stop => 'stops the feed',
            },
            'failures' => array_map(static fn ($f): array => ['step' => $f->step, 'reason' => $f->reason, 'message' => $f->message, 'outcome' => $f->outcome->words()], $judged->allFailures()),
            'steps' => $this->steps($judged, $this->rows),
            'checks' => array_map(static fn (Check $c, int $n): array => ['check' => $c->name !== '' ? $c->name : $c->sentence(), 'passed' => $judged->passed[$n] ?? null, 'else' => $c->else?->words()], $treatment->checks, array_keys($treatment->checks)),
            'forks' => array_map(static fn (Fork $f, int $n): array => ['fork' => $f->name, 'when' => $f->when, 'takes' => $judged->conditions[$n] ?? null], $treatment->forks, array_keys($treatment->forks)),
            'further' => $judged->then === null ? [] : $this->steps($judged->then, $this->rows->fork((int) $judged->fork) ?? $this->rows),
            'table' => $lands ? (string) $table->name : null,
            'lands' => $lands ? array_combine($table->shape->names(), $landed) : null,
            'writes' => $lands ? $this->writes($table, $landed) : null,
        ];
    }

    /** Only the target knows whether it takes what a record lands as. */
    private function refused(Judging $judged): ?Unwritable
    {
        $target = $this->systems->target($this->feed->route->target);
        try {
            return (new Trial($target->refuses(...)))->refused($this->table($judged), [CopyText::line($judged->landed())])[0] ?? null;
        } catch (SystemTrouble) {
            return null;
        }
    }

    /** The table that a record lands in. */
    private function table(Judging $judged): LandedTable
    {
        $own = $this->definition->landedTable();

        return $judged->fork === null || $judged->fork < 0 ? $own : array_values($own->forks->tables)[$judged->fork];
    }

    /** @param  list<string|null>  $landed */
    private function writes(LandedTable $table, array $landed): ?string
    {
        try {
            return $this->systems->target($this->feed->route->target)->explain($table, $landed);
        } catch (SystemTrouble) {
            return null;
        }
    }

    /** @return list<array{column: string|null, lands_as: string|null, step: string, before: string|null, after: string|null, fault: string|null}> */
    private function steps(Judging $judged, RowCompiler $rows): array
    {
        $told = [];
        foreach ($rows->sheet as $i => $line) {
            $shown = static fn (int $step): ?string => ! is_string($v = $judged->values[$i][$step] ?? null) ? null : ($judged->hides($i, $step) ? Judging::HIDDEN : mb_scrub(mb_strcut($v, 0, 2000, 'UTF-8')));
            $fault = null;
            foreach ($judged->failures as $failure) {
                $fault = $failure->line === $i ? $failure : $fault;
            }
            foreach ($line->steps as $n => $step) {
                $failed = $fault !== null && $fault->at === $n;
                $told[] = ['column' => $line->from, 'lands_as' => $line->drop ? null : $line->name(), 'step' => $step->sentence(), 'before' => $shown($n - 1), 'after' => $failed ? null : $shown($n), 'fault' => $failed ? $fault->message : null];
                if ($failed) {
                    break;
                }
            }
            if ($line->steps === [] && ($line->drop || $line->name() !== $line->from)) {
                $told[] = ['column' => $line->from, 'lands_as' => $line->drop ? null : $line->name(), 'step' => $line->drop ? 'drop' : "rename to {$line->name()}", 'before' => $shown(-1), 'after' => $line->drop ? null : $shown(-1), 'fault' => null];
            }
        }

        return $told;
    }
}
