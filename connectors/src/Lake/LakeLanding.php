<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Lake;

use Lighterman\Connectors\Counts;
use Lighterman\Connectors\Engine\Engine;
use Lighterman\Connectors\Engine\EngineError;
use Lighterman\Connectors\Engine\TypeMap;
use Lighterman\Connectors\SteadyClock;
use Lighterman\Connectors\Unit;
use Lighterman\Core\Format\CopyText;
use Lighterman\Core\Landing\LandedTable;
use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Landing\SourceCommit;
use Lighterman\Core\Port\JoinedFiles;
use Lighterman\Core\Port\LandingSession;
use Lighterman\Core\Port\LeaseLost;
use Lighterman\Core\Position\Position;
use Lighterman\Core\Record\Batch;
use Lighterman\Core\Record\Receipt;
use Lighterman\Core\Trouble\Reason;
use Lighterman\Core\Trouble\SystemTrouble;

/**
 * Writes one feed's batches to files. Several batches become one delivery, so that there are not many small files; a
 * delivery counts once its page is written.
 */
final class LakeLanding implements LandingSession
{
    /** @var array<string, TableWriter> by fork */
    private readonly array $writers;

    private ?Unit $unit = null;

    private float $begun = 0.0;

    /** Whether rows need not be looked for among those that are there. */
    private bool $straight;

    private bool $merges = false;

    private ?Batch $last = null;

    private int $run = 0;

    /** Lines of the keys of rows that are kept out from now on. */
    private string $gone = '';

    public function __construct(private readonly Folder $folder, private readonly Ledger $ledger, private readonly Engine $engine, private readonly LandedTable $landed, private Page $page, string $work)
    {
        $writers = [];
        foreach ($landed->tables() as $fork => $table) {
            $writers[$fork] = new TableWriter($folder, $engine, $table, $work, count($writers));
        }
        $this->writers = $writers;
        // A crash may have come between a page and the fixed names of its files.
        $this->nameFiles($page->tables, $page->tables);
        $this->straight = ! $landed->repeats && array_sum(array_map(static fn (LandedFiles $t): int => count($t->files), $page->tables)) === 0;
    }

    public function position(): Position
    {
        return $this->page->position;
    }

    public function sequence(): int
    {
        return $this->page->sequence;
    }

    public function receiptsAfter(int $sequence): array
    {
        return array_values(array_filter($this->page->receipts, static fn (Receipt $r): bool => $r->sequence > $sequence));
    }

    public function land(Batch $batch, int $run): ?Receipt
    {
        return $this->guarded(function () use ($batch, $run): ?Receipt {
            $unit = $this->unit ??= $this->begin($batch, beside: false);
            $this->put($batch, $unit, $run);
            if (! $batch->closes) {
                return null;
            }
            $long = $unit->rows >= $this->landed->writing->rows || SteadyClock::seconds() - $this->begun >= $this->landed->writing->seconds;

            return $long || $this->landed->landing === Landing::Replace ? $this->finish() : null;
        });
    }

    public function settle(): ?Receipt
    {
        // What does not close a delivery is read again.
        return $this->unit !== null && $this->last?->closes ? $this->guarded(fn (): Receipt => $this->finish()) : null;
    }

    public function again(Batch $batch, int $run): Receipt
    {
        return $this->guarded(function () use ($batch, $run): Receipt {
            $this->unit = $this->begin($batch, beside: true);
            $this->put($batch, $this->unit, $run);

            return $this->finish();
        });
    }

    public function close(): void
    {
        $this->abandon();
        $this->engine->close();
    }

    /** @param  bool  $beside  whether rows go beside those that are there, whatever the landing */
    private function begin(Batch $batch, bool $beside): Unit
    {
        if (! $this->page->position->equals($batch->from)) {
            throw SystemTrouble::passing(Reason::PositionMoved, 'The feed stands at another position in the lake than the batch begins at.', 'Lighterman reads the position again and goes on from there.');
        }
        $sequence = $this->page->sequence + 1;
        // A first load that began with nothing there reads each key once; nothing that is there can be one of its rows.
        $this->straight = $this->straight && ! $beside && $batch->from->isLoading();
        $this->merges = $this->landed->landing === Landing::Upsert && ! $this->straight;
        $prefix = Page::prefix($this->page->feed, $sequence, $this->page->token);
        foreach ($this->landed->tables() as $fork => $table) {
            $this->writers[$fork]->begin($this->page->tables[(string) $table->name], $sequence, $prefix, $this->merges, $this->landed->landing === Landing::Replace && ! $beside);
        }
        $this->begun = SteadyClock::seconds();
        $this->gone = '';

        return new Unit($batch->from, $sequence, self::now());
    }

    private function put(Batch $batch, Unit $unit, int $run): void
    {
        foreach ($batch->parts() as $fork => $lines) {
            if ($lines !== '') {
                $this->writers[$fork]->write($unit->stamped($lines, $this->landed->stamps, $batch));
            }
        }
        $this->gone .= $batch->gone;
        $unit->add($batch);
        [$this->last, $this->run] = [$batch, $run];
    }

    private function finish(): Receipt
    {
        [$unit, $last] = [$this->unit, $this->last];
        if ($unit === null || $last === null) {
            throw new \LogicException('There is nothing to finish.');
        }
        $tables = $this->page->tables;
        $counts = new Counts(0);
        $keys = $this->merges ? array_map(static fn (TableWriter $w): string => $w->staged(), $this->writers) : [];
        foreach ($this->landed->tables() as $fork => $table) {
            $leaving = array_diff_key($keys, [$fork => true]);
            if ($this->gone !== '' && $this->merges) {
                $leaving[] = $this->goneKeys();
            }
            [$files, $own] = $this->writers[$fork]->finish($this->merges ? implode(' UNION ALL ', $leaving) : '');
            $tables[(string) $table->name] = $this->writers[$fork]->joined($files);
            $counts = $counts->plus($own);
        }
        $receipt = $unit->receipt($this->run, $last, $counts, self::now());
        $this->turn($this->page->landed($receipt, $tables, SteadyClock::time()));

        return $receipt;
    }

    /** Commits what was made. */
    private function turn(Page $next): void
    {
        $made = array_merge(...array_values(array_map(static fn (TableWriter $w): array => $w->handOver(), $this->writers)));
        $this->ledger->write($next, $made);
        $this->nameFiles($next->tables, $this->page->tables);
        // Those whose time is over, and those that were joined before they ever counted.
        $gone = array_diff_key($this->page->kept() + $made, $next->kept());
        array_map($this->folder->delete(...), array_keys($gone));
        $this->page = $next;
        $this->abandon();
    }

    public function join(): ?JoinedFiles
    {
        return $this->guarded(function (): ?JoinedFiles {
            $this->abandon();
            $tables = $this->page->tables;
            foreach ($this->landed->tables() as $fork => $table) {
                $name = (string) $table->name;
                $tables[$name] = $this->writers[$fork]->joinedBy($tables[$name], $this->page->sequence, $this->page->joinPrefix($this->page->number + 1));
            }
            if ($tables === $this->page->tables) {
                return null;
            }
            $count = static fn (Page $page): int => array_sum(array_map(static fn (LandedFiles $t): int => count($t->files), $page->tables));
            $before = $count($this->page);
            $this->turn($this->page->joined($tables, SteadyClock::time()));

            return new JoinedFiles($before, $count($this->page));
        });
    }

    /**
     * @param  array<string, LandedFiles>  $now
     * @param  array<string, LandedFiles>  $before
     */
    private function nameFiles(array $now, array $before): void
    {
        foreach ($this->landed->tables() as $fork => $table) {
            $this->writers[$fork]->name($now[(string) $table->name], $before[(string) $table->name]);
        }
    }

    /** Keys of rows that are kept out from now on, as a query. */
    private function goneKeys(): string
    {
        $rows = [];
        foreach (explode("\n", substr($this->gone, 0, -1)) as $line) {
            $rows[] = '('.implode(', ', array_map(fn (?string $v, string $k): string => TypeMap::value($v, $this->landed->shape->column($k)->type ?? throw new \LogicException("{$k} does not land.")), CopyText::row($line), $this->landed->key)).')';
        }

        return 'SELECT * FROM (VALUES '.implode(', ', $rows).')';
    }

    private static function now(): string
    {
        return SourceCommit::timeAt(SteadyClock::micros());
    }

    /**
     * @template T
     *
     * @param  callable(): T  $do
     * @return T
     */
    private function guarded(callable $do): mixed
    {
        try {
            return $do();
        } catch (EngineError|SystemTrouble $e) {
            $this->abandon();
            // Whoever takes the feed clears away what others were making.
            $token = $this->ledger->last($this->page->feed)->token ?? PHP_INT_MAX;
            throw match (true) {
                $token !== $this->page->token => LeaseLost::to($token, $this->page->token),
                $e instanceof SystemTrouble => $e,
                default => SystemTrouble::lasting(Reason::Refused, "{$this->landed->name}: {$e->getMessage()}", 'Correct what the message names and try again.'),
            };
        }
    }

    public function abandon(): void
    {
        $this->unit = $this->last = null;
        $this->gone = '';
        foreach ($this->writers as $writer) {
            $writer->clear();
        }
    }
}
