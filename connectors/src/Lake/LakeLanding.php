<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Lake;

use Closure;
use Lighterman\Connectors\Engine\Engine;
use Lighterman\Connectors\Engine\EngineError;
use Lighterman\Connectors\Scratch;
use Lighterman\Connectors\SteadyClock;
use Lighterman\Core\Format\UnfitValue;
use Lighterman\Core\Landing\ChangePlan;
use Lighterman\Core\Landing\LandedTable;
use Lighterman\Core\Landing\SourceCommit;
use Lighterman\Core\Port\FeedRefused;
use Lighterman\Core\Port\JoinedFiles;
use Lighterman\Core\Port\LandingSession;
use Lighterman\Core\Port\LeaseLost;
use Lighterman\Core\Position\Place;
use Lighterman\Core\Position\Position;
use Lighterman\Core\Record\Batch;
use Lighterman\Core\Record\Counts;
use Lighterman\Core\Record\Receipt;
use Lighterman\Core\Trouble\LandedTrouble;
use Lighterman\Core\Trouble\SystemTrouble;
use LogicException;

/** Lands rows and changes of feeds in a lake: whole deliveries of them, which count once the holder's next page is written. */
final class LakeLanding implements LandingSession
{
    /** Receipts of a feed that are kept beside those not copied yet. The page is written whole each time. */
    private const RECEIPTS = 5;

    private ?Engine $engine = null;

    /** @var array<string, int> number of the last receipt that Lighterman's own database has, by feed */
    private array $copied = [];

    /** @var array<string, RowFiles|ChangeTable> by feed */
    private array $files = [];

    /** Tables that are landed in, those of forks too. */
    private int $tables = 0;

    /** @var array<string, SeenFiles> by feed, of those whose whole table is being loaded again */
    private array $seen = [];

    /** @var list<string> feeds that the delivery under way has swept */
    private array $swept = [];

    private string $now = '';

    /**
     * @param  Closure(bool $ordered, bool $wide): Engine  $start  starts an engine
     * @param  BookPage  $page  taken by the holder of the token
     * @param  string  $work  absolute folder for files that are being made
     * @param  Closure(LandedTable, Page): void  $prepare  refuses a table that cannot be landed in; the second is what the feed has landed
     */
    public function __construct(private readonly Folder $folder, private readonly Ledger $ledger, private readonly Closure $start, private BookPage $page, private readonly string $work, private readonly Closure $prepare, private readonly Owners $owners)
    {
    }

    public function position(): ?string
    {
        return $this->page->place;
    }

    public function pace(): float
    {
        return $this->files === [] ? 0.0 : (float) min(array_map(static fn (FeedFiles $f): int => $f->landed()->as->writing->seconds, $this->files));
    }

    public function admit(LandedTable $landed, string $feed, bool $anew = false): Position
    {
        // A feed that begins anew was taken out of it by a page that was not written here.
        $this->page = $this->demandLease();
        $was = $this->page->feeds[$feed] ?? Page::first($feed, $this->page->token);
        ($this->prepare)($landed, $was);
        $tables = [];
        foreach ($landed->tables() as $table) {
            $name = (string) $table->name;
            $given = $this->owners->claim($table->name, $was, $this->page->book);
            $was = $given === null ? $was : $was->taking($given);
            $tables[$name] = isset($was->tables[$name]) ? $was->tables[$name]->becoming(LandedFiles::of($table)) : LandedFiles::of($table);
        }
        $changed = array_filter($tables, static fn (LandedFiles $t, string $name): bool => ! isset($was->tables[$name]) || count($t->eras) !== count($was->tables[$name]->eras) || $t->partitionBy !== $was->tables[$name]->partitionBy, ARRAY_FILTER_USE_BOTH);
        $page = $was->having($tables + $was->tables);
        if ($changed !== [] || $was !== ($this->page->feeds[$feed] ?? null)) {
            $this->turn($this->page->landed([$feed => $page], null));
        }
        // Rows that come again count in their order.
        $this->engine ??= ($this->start)($landed->repeats(), count($landed->columns()) > DataFileMaker::WIDE);
        $this->files[$feed] = $landed->bringsChanges()
            ? new ChangeTable($this->folder, $this->engine, $landed, $this->work, $this->tables)
            : new RowFiles($this->folder, $this->engine, $landed, $this->work, $this->tables, $page->tables);
        $this->tables += count($landed->tables());
        // A crash may have come between a page and the fixed names of its files.
        $this->files[$feed]->name($page->tables, $page->tables);
        $seen = $landed->bringsChanges() ? SeenFiles::underWay($this->folder, $feed) : null;
        if ($seen !== null) {
            $this->seen[$feed] = $seen;
        }

        return $page->position;
    }

    public function sequence(string $feed): int
    {
        return ($this->page->feeds[$feed] ?? null)->sequence ?? 0;
    }

    public function receiptsAfter(string $feed, int $sequence): array
    {
        return array_values(array_filter(($this->page->feeds[$feed] ?? null)->receipts ?? [], static fn (Receipt $r): bool => $r->sequence > $sequence));
    }

    public function begin(): void
    {
        // Another page of the same holder takes a feed out that begins anew.
        $this->page = $this->demandLease();
        $this->now = self::now();
        $this->forget();
    }

    private static function now(): string
    {
        return SourceCommit::timeAt(SteadyClock::micros());
    }

    /**
     * Whoever takes the book clears away what others were making.
     *
     * @throws LeaseLost
     */
    private function demandLease(): BookPage
    {
        $last = $this->lastThere();

        // One that was written here and is gone was removed by somebody else. What it says is still so.
        return $last->number < $this->page->number ? $this->page : $last;
    }

    /** @throws LeaseLost */
    private function lastThere(): BookPage
    {
        $last = $this->ledger->last($this->page->book);

        return $last?->token === $this->page->token ? $last : throw LeaseLost::to($last->token ?? PHP_INT_MAX, $this->page->token);
    }

    public function put(string $feed, Batch $batch, bool $beside = false): void
    {
        $files = $this->files[$feed];
        $files instanceof RowFiles || throw new LogicException("{$feed} brings changes.");
        $page = $this->feed($feed);
        if (! $files->hasAny() && ! $page->position->equals($batch->stretch->from)) {
            throw LandedTrouble::movedOn((string) $files->landed()->name);
        }
        $this->named($feed, fn () => $files->put($batch, $page, $this->now, $beside));
    }

    public function apply(string $feed, ChangePlan $plan): void
    {
        if ($plan->changes() > 0) {
            $this->named($feed, function () use ($feed, $plan): void {
                $this->changes($feed)->add($plan, $this->now);
                ($this->seen[$feed] ?? null)?->add($plan->keys());
            });
        }
    }

    /** A feed's table, ready for changes of the delivery under way. */
    private function changes(string $feed): ChangeTable
    {
        $table = $this->files[$feed];
        $table instanceof ChangeTable || throw new LogicException("{$feed} brings rows.");
        $table->begin($this->feed($feed));

        return $table;
    }

    public function noteKeys(string $feed, bool $whole): void
    {
        // What the holder of the lease has noted decides what is deleted, so nobody else may drop it.
        $this->demandLease();
        // What an earlier load had noted tells nothing about this one.
        ($this->seen[$feed] ?? null)?->drop();
        unset($this->seen[$feed]);
        if ($whole && $this->files[$feed]->landed()->isSwept()) {
            $this->seen[$feed] = SeenFiles::begin($this->folder, $feed);
        }
    }

    public function sweep(string $feed, SourceCommit $commit): void
    {
        $seen = $this->seen[$feed] ?? null;
        if ($seen !== null) {
            // After every change of the moment at which the load ended.
            $this->named($feed, fn () => $this->changes($feed)->leave($commit, 0xFFFFFFFF, $this->now, $seen));
            $this->swept[] = $feed;
        }
    }

    public function truncate(string $feed, SourceCommit $commit, int $number): void
    {
        $this->named($feed, fn () => $this->changes($feed)->leave($commit, $number, $this->now));
    }

    public function commit(array $arrivals, ?Place $place, ?string $sourceTime): array
    {
        $receipts = $pages = [];
        foreach ($arrivals as $arrival) {
            $feed = $arrival->feed;
            $page = $this->feed($feed);
            [$tables, $counts, $came] = $this->files[$feed]->hasAny() ? $this->named($feed, $this->files[$feed]->finish(...)) : [[], new Counts(0), 0];
            $receipts[$feed] = new Receipt($page->sequence + 1, $page->position->bare(), $arrival, $came, $counts, $sourceTime, self::now());
            $pages[$feed] = $page->landed($receipts[$feed], $tables + $page->tables, SteadyClock::time(), self::RECEIPTS + max(0, $page->sequence - ($this->copied[$feed] ?? 0)));
        }
        array_map(static fn (SeenFiles $s) => $s->flush(), $this->seen);
        $this->settle($pages, $place);

        return $receipts;
    }

    public function demandKept(array $feeds): void
    {
        // A table that another feed has taken over takes the lease with it. A file that somebody removed shows when it is read.
        if ($this->lastThere()->number < $this->page->number) {
            // Readers go by the last page that is there, and nothing may land for hours that would bring them a newer one.
            $this->turn($this->page->landed([], null));
        }
    }

    public function join(string $feed): ?JoinedFiles
    {
        $this->begin();
        $files = $this->files[$feed] ?? throw LandedTrouble::notTakenIn();
        try {
            $page = $this->feed($feed);
            $tables = $this->named($feed, fn (): array => $files->joined($page, $page->joinPrefix($this->page->number + 1))) + $page->tables;
            if (array_filter($tables, static fn (LandedFiles $t, string $name): bool => $t !== $page->tables[$name], ARRAY_FILTER_USE_BOTH) === []) {
                return null;
            }
            $joined = $page->joined($tables, SteadyClock::time());
            $this->settle([$feed => $joined], null);

            return new JoinedFiles($page->files(), $joined->files());
        } finally {
            $this->forget();
        }
    }

    /**
     * Commits. What follows the page is done again after a crash, when the book is next taken.
     *
     * @param  array<string, Page>  $pages
     */
    private function settle(array $pages, ?Place $place): void
    {
        $before = $this->page;
        $made = array_merge([], ...array_values(array_map(static fn (FeedFiles $f): array => $f->handOver(), $this->files)));
        $this->turn($this->page->landed($pages, $place), $made);
        foreach ($pages as $feed => $page) {
            $page->tables === $before->feeds[$feed]->tables || $this->files[$feed]->name($page->tables, $before->feeds[$feed]->tables);
            array_map($this->folder->delete(...), array_keys(array_diff_key($before->feeds[$feed]->kept(), $page->kept())));
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

    public function tidyReceipts(?int $hours, int $days): void
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
        $this->engine?->close();
        Scratch::remove($this->work);
        @rmdir(dirname($this->work));
    }

    private function forget(): void
    {
        $this->swept = [];
        array_map(static fn (FeedFiles $f) => $f->clear(), $this->files);
    }

    /** @param  array<string, true>  $made  files that were made for the page */
    private function turn(BookPage $next, array $made = []): void
    {
        $this->ledger->write($next, $made);
        $this->page = $next;
    }

    private function feed(string $feed): Page
    {
        return $this->page->feeds[$feed] ?? throw LandedTrouble::movedOn($feed, 'the lake knows nothing of the feed any more.', 'Lighterman takes it in again.');
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
        } catch (EngineError|UnfitValue|SystemTrouble $e) {
            $this->demandLease();
            $trouble = $e instanceof SystemTrouble ? $e : Refusal::of($e, $this->files[$feed]->landed());
            throw $trouble->mayPass() ? $trouble : new FeedRefused($feed, $trouble);
        }
    }
}
