<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Lake;

use Closure;
use Lighterman\Connectors\Counts;
use Lighterman\Connectors\Engine\Engine;
use Lighterman\Connectors\Engine\EngineError;
use Lighterman\Connectors\SteadyClock;
use Lighterman\Core\Landing\ChangePlan;
use Lighterman\Core\Landing\LandedTable;
use Lighterman\Core\Landing\SourceCommit;
use Lighterman\Core\Port\ChangeLanding;
use Lighterman\Core\Port\FeedRefused;
use Lighterman\Core\Port\JoinedFiles;
use Lighterman\Core\Port\LeaseLost;
use Lighterman\Core\Position\Place;
use Lighterman\Core\Position\Position;
use Lighterman\Core\Record\Receipt;
use Lighterman\Core\Trouble\Reason;
use Lighterman\Core\Trouble\SystemTrouble;

/** Lands the changes of a route's feeds in a lake: whole deliveries of them, each with one page of the route's book. */
final class LakeChangeLanding implements ChangeLanding
{
    /** Receipts of a feed that are kept beside those not copied yet. The page is written whole each time. */
    private const RECEIPTS = 5;

    /** @var array<string, int> number of the last receipt that Lighterman's own database has, by feed */
    private array $copied = [];

    /** @var array<string, ChangeTable> by feed */
    private array $tables = [];

    /** @var array<string, SeenFiles> by feed, of those whose whole table is being loaded again */
    private array $seen = [];

    /** @var list<string> feeds that the delivery under way has swept */
    private array $swept = [];

    /** @var array<string, true> feeds that the delivery under way has changes of */
    private array $begun = [];

    private string $now = '';

    /**
     * @param  RoutePage  $page  taken by the holder of the token
     * @param  string  $work  absolute folder for files that are being made
     * @param  Closure(LandedTable, array<string, LandedFiles>): void  $prepare  refuses a table that cannot be landed in; the second are those that the feed has landed
     */
    public function __construct(private readonly Folder $folder, private readonly Ledger $ledger, private readonly Engine $engine, private RoutePage $page, private readonly string $work, private readonly Closure $prepare)
    {
    }

    public function position(): ?string
    {
        return $this->page->place;
    }

    public function pace(): float
    {
        return $this->tables === [] ? 0.0 : (float) min(array_map(static fn (ChangeTable $t): int => $t->landed->writing->seconds, $this->tables));
    }

    public function admit(LandedTable $landed, string $feed, bool $anew = false): Position
    {
        // A feed that begins anew was taken out of it by a page that was not written here.
        $this->page = $this->demandLease();
        $was = $this->page->feeds[$feed] ?? Page::first($feed, $this->page->token);
        ($this->prepare)($landed, $was->tables);
        $name = (string) $landed->name;
        $files = isset($was->tables[$name]) ? $was->tables[$name]->becoming(LandedFiles::of($landed)) : LandedFiles::of($landed);
        $page = $was->having([$name => $files] + $was->tables, array_values(array_unique([...$was->created, $name])));
        if (! isset($this->page->feeds[$feed]) || count($files->eras) !== count($was->tables[$name]->eras ?? []) || $files->partitionBy !== $was->tables[$name]->partitionBy) {
            $this->turn($this->page->landed([$feed => $page], null));
        }
        $this->tables[$feed] = new ChangeTable($this->folder, $this->engine, $landed, $this->work, count($this->tables));
        // A crash may have come between a page and the fixed names of its files.
        $this->tables[$feed]->name($files, $files);
        $seen = SeenFiles::underWay($this->folder, $feed);
        if ($seen !== null) {
            $this->seen[$feed] = $seen;
        }

        return $page->position;
    }

    public function sequence(string $feed): int
    {
        return $this->feed($feed)->sequence;
    }

    public function receiptsAfter(string $feed, int $sequence): array
    {
        return array_values(array_filter($this->feed($feed)->receipts, static fn (Receipt $r): bool => $r->sequence > $sequence));
    }

    public function begin(): void
    {
        // Another page of the same holder takes a feed out that begins anew.
        $this->page = $this->demandLease();
        $this->now = SourceCommit::timeAt(SteadyClock::micros());
        $this->forget();
    }

    /**
     * Whoever takes the route clears away what others were making.
     *
     * @throws LeaseLost
     */
    private function demandLease(): RoutePage
    {
        $last = $this->ledger->lastOfRoute($this->page->route);

        return $last?->token === $this->page->token ? $last : throw LeaseLost::to($last->token ?? PHP_INT_MAX, $this->page->token);
    }

    public function apply(string $feed, ChangePlan $plan): void
    {
        if ($plan->changes() > 0) {
            $this->named($feed, function () use ($feed, $plan): void {
                $this->table($feed)->add($plan, $this->now);
                ($this->seen[$feed] ?? null)?->add($plan->keys());
            });
        }
    }

    public function noteKeys(string $feed, bool $whole): void
    {
        // What the holder of the lease has noted decides what is deleted, so nobody else may drop it.
        $this->demandLease();
        // What an earlier load had noted tells nothing about this one.
        ($this->seen[$feed] ?? null)?->drop();
        unset($this->seen[$feed]);
        if ($whole && $this->tables[$feed]->landed->isSwept()) {
            $this->seen[$feed] = SeenFiles::begin($this->folder, $feed);
        }
    }

    public function sweep(string $feed, SourceCommit $commit): void
    {
        $seen = $this->seen[$feed] ?? null;
        if ($seen !== null) {
            // After every change of the moment at which the load ended.
            $this->named($feed, fn () => $this->table($feed)->leave($commit, 0xFFFFFFFF, $this->now, $seen));
            $this->swept[] = $feed;
        }
    }

    public function truncate(string $feed, SourceCommit $commit, int $number): void
    {
        $this->named($feed, fn () => $this->table($feed)->leave($commit, $number, $this->now));
    }

    public function commit(array $feeds, ?Place $place, array $runs, ?string $sourceTime, array $kept = []): array
    {
        $receipts = $pages = [];
        foreach ($feeds as $feed => $to) {
            $page = $this->feed($feed);
            $tables = $page->tables;
            [$counts, $read] = [new Counts(0), 0];
            if (isset($this->begun[$feed]) && $this->tables[$feed]->hasChanges()) {
                [$files, $counts, $read] = $this->named($feed, fn (): array => $this->tables[$feed]->finish());
                $tables[(string) $this->tables[$feed]->landed->name] = $files;
            }
            ['dropped' => $dropped, 'setAside' => $setAside] = $kept[$feed] ?? ['dropped' => 0, 'setAside' => 0];
            $receipts[$feed] = new Receipt(
                $page->sequence + 1, $runs[$feed] ?? 0, $page->position->bare(), $to, $read + $dropped + $setAside,
                $counts->inserted, $counts->updated, $counts->unchanged, $counts->deleted, $dropped, $setAside, 0, '', $sourceTime, $this->now, $counts->superseded,
            );
            $pages[$feed] = $page->landed($receipts[$feed], $tables, SteadyClock::time(), self::RECEIPTS + max(0, $page->sequence - ($this->copied[$feed] ?? 0)));
        }
        array_map(static fn (SeenFiles $s) => $s->flush(), $this->seen);
        $this->settle($pages, $place);

        return $receipts;
    }

    public function demandKept(array $feeds): void
    {
        // A file of a lake that somebody removed shows when it is read.
    }

    public function join(string $feed): ?JoinedFiles
    {
        $this->begin();
        $table = $this->tables[$feed] ?? throw SystemTrouble::passing(Reason::NotTakenIn, 'The feed could not be taken in by the lake.', 'See what its page says, mend that, and ask again.');
        try {
            $page = $this->feed($feed);
            $name = (string) $table->landed->name;
            $was = $page->tables[$name];
            $now = $this->named($feed, fn (): LandedFiles => $table->joined($was, $page->sequence, $page->joinPrefix($this->page->number + 1)));
            if ($now === $was) {
                return null;
            }
            $this->settle([$feed => $page->joined([$name => $now] + $page->tables, SteadyClock::time())], null);

            return new JoinedFiles(count($was->files), count($now->files));
        } finally {
            $this->forget();
        }
    }

    /**
     * Commits. What follows the page is done again after a crash, when the route is next taken.
     *
     * @param  array<string, Page>  $pages
     */
    private function settle(array $pages, ?Place $place): void
    {
        $before = $this->page;
        $made = array_merge(...array_values(array_map(static fn (ChangeTable $t): array => $t->handOver(), $this->tables)));
        $this->turn($this->page->landed($pages, $place), $made);
        foreach ($pages as $feed => $page) {
            isset($this->tables[$feed]) && $this->tables[$feed]->name($page->tables[(string) $this->tables[$feed]->landed->name]);
            array_map($this->folder->delete(...), array_keys(array_diff_key(($before->feeds[$feed] ?? $page)->kept(), $page->kept())));
            $made = array_diff_key($made, $page->kept());
        }
        // Those that were joined before they ever counted.
        array_map($this->folder->delete(...), array_keys($made));
        foreach ($this->swept as $feed) {
            $this->seen[$feed]->drop();
            unset($this->seen[$feed]);
        }
        $this->forget();
    }

    public function copied(string $feed, int $sequence): void
    {
        $this->copied[$feed] = $sequence;
    }

    public function forgetReceipts(int $days): void
    {
        // A page keeps a few anyway.
    }

    public function rollback(): void
    {
        array_map(static fn (SeenFiles $s) => $s->forgetPending(), $this->seen);
        $this->forget();
    }

    public function close(): void
    {
        $this->forget();
        $this->engine->close();
    }

    private function forget(): void
    {
        $this->begun = $this->swept = [];
        array_map(static fn (ChangeTable $t) => $t->clear(), $this->tables);
    }

    /** @param  array<string, true>  $made  files that were made for the page */
    private function turn(RoutePage $next, array $made = []): void
    {
        $this->ledger->writeRoute($next, $made);
        $this->page = $next;
    }

    private function feed(string $feed): Page
    {
        return $this->page->feeds[$feed] ?? throw SystemTrouble::passing(Reason::PositionMoved, "The lake knows nothing of the feed {$feed} any more.", 'Lighterman takes it in again.');
    }

    /** A feed's table, ready for changes of the delivery under way. */
    private function table(string $feed): ChangeTable
    {
        $table = $this->tables[$feed];
        if (! isset($this->begun[$feed])) {
            $page = $this->feed($feed);
            $sequence = $page->sequence + 1;
            $table->begin($page->tables[(string) $table->landed->name], $sequence, Page::prefix($feed, $sequence, $this->page->token));
            $this->begun[$feed] = true;
        }

        return $table;
    }

    /**
     * What is refused must say whose it is.
     *
     * @template T
     *
     * @param  callable(): T  $do
     * @return T
     */
    private function named(string $feed, callable $do): mixed
    {
        try {
            return $do();
        } catch (EngineError|SystemTrouble $e) {
            $this->demandLease();
            $trouble = $e instanceof SystemTrouble ? $e : SystemTrouble::lasting(Reason::Refused, "{$this->tables[$feed]->landed->name}: {$e->getMessage()}", 'Correct what the message names and try again.');
            throw $trouble->mayPass() ? $trouble : new FeedRefused($feed, $trouble);
        }
    }
}
