<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Lake;

use Lighterman\Core\Port\LeaseLost;

/**
 * What feeds have landed in a lake: for each feed a book of numbered pages, of which the last one holds.
 *
 * A page is written whole under a name that nobody else has taken, so that whoever writes the next one has read the one
 * before: this is the commit, and what fences off a worker that has lost its lease.
 */
final readonly class Ledger
{
    /** Names that begin with a line are passed over by what reads lakes. */
    public const FOLDER = '_lighterman';

    /** The book of tables that nobody has landed, but a scan has found. */
    public const FOUND = 'found';

    /** Earlier pages that stay, for whoever is reading them. */
    private const PAGES = 5;

    public function __construct(private Folder $folder)
    {
    }

    public function last(string $feed): ?Page
    {
        // A page may be followed, and removed, between the two looks.
        for ($tries = 0; $tries < 5; $tries++) {
            $names = $this->folder->entries($this->book($feed));
            $pages = array_filter($names, static fn (string $n): bool => (bool) preg_match('/^\d+\.json$/', $n));
            if ($pages === []) {
                return null;
            }
            $text = $this->folder->read($this->book($feed).'/'.max($pages));
            if ($text !== null) {
                return Page::fromJson($text);
            }
        }

        return null;
    }

    /** @return list<Page> the last page of every feed */
    public function all(): array
    {
        $pages = [];
        foreach (array_diff($this->folder->entries(self::FOLDER.'/feeds'), [self::FOUND]) as $feed) {
            $page = $this->last($feed);
            if ($page !== null) {
                $pages[] = $page;
            }
        }

        return $pages;
    }

    /** @return array<string, LandedFiles> the tables that feeds have landed, by name */
    public function landed(): array
    {
        $tables = [];
        foreach ($this->all() as $page) {
            $tables += $page->tables;
        }
        ksort($tables);

        return $tables;
    }

    /** @return array<string, LandedFiles> the tables that a scan has found, by name */
    public function found(): array
    {
        return $this->last(self::FOUND)->tables ?? [];
    }

    /** @return array<string, LandedFiles> all tables of the lake, by name */
    public function tables(): array
    {
        return $this->landed() + $this->found();
    }

    /** @param  array<string, LandedFiles>  $tables  that a scan has found, instead of those it had found before */
    public function replaceFound(array $tables): void
    {
        $last = $this->last(self::FOUND) ?? Page::first(self::FOUND, 0);
        $this->write($last->claimed(0)->having($tables, []));
    }

    /** @throws LeaseLost if somebody else has written a page since */
    public function write(Page $page): void
    {
        if (! $this->folder->create($this->name($page->feed, $page->number), $page->toJson())) {
            throw LeaseLost::to($this->last($page->feed)->token ?? $page->token, $page->token);
        }
        $old = $page->number - self::PAGES;
        if ($old > 0) {
            $this->folder->delete($this->name($page->feed, $old));
        }
    }

    public function forget(string $feed): void
    {
        foreach ($this->folder->files($this->book($feed)) as $name) {
            $this->folder->delete($name);
        }
    }

    private function book(string $feed): string
    {
        return self::FOLDER."/feeds/{$feed}";
    }

    private function name(string $feed, int $number): string
    {
        return sprintf('%s/%010d.json', $this->book($feed), $number);
    }
}
