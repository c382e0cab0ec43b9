<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Lake;

use Lighterman\Connectors\SteadyClock;
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
        $text = $this->lastText("feeds/{$feed}");

        return $text === null ? null : Page::fromJson($text);
    }

    public function lastOfRoute(string $route): ?RoutePage
    {
        $text = $this->lastText("routes/{$route}");

        return $text === null ? null : RoutePage::fromJson($text);
    }

    private function lastText(string $book): ?string
    {
        // A page may be followed, and removed, between the two looks.
        for ($tries = 0; $tries < 5; $tries++) {
            $pages = array_filter($this->folder->entries(self::FOLDER."/{$book}"), static fn (string $n): bool => (bool) preg_match('/^\d+\.json$/', $n));
            $text = $pages === [] ? null : $this->folder->read(self::FOLDER."/{$book}/".max($pages));
            if ($pages === [] || $text !== null) {
                return $text;
            }
        }

        return null;
    }

    /** @return list<Page> the last page of every feed */
    public function all(): array
    {
        $pages = array_map(Page::fromJson(...), array_values(array_diff_key($this->lastTexts('feeds'), [self::FOUND => true])));

        return [...$pages, ...array_merge(...array_map(static fn (RoutePage $r): array => array_values($r->feeds), $this->routes()))];
    }

    /** @return list<RoutePage> the last page of every route */
    private function routes(): array
    {
        return array_map(RoutePage::fromJson(...), array_values($this->lastTexts('routes')));
    }

    /**
     * Found by one listing and read together, for a store may be far away and have hundreds of books.
     *
     * @return array<string, string> last pages, by the name of the book
     */
    private function lastTexts(string $books): array
    {
        $last = [];
        foreach ($this->folder->files(self::FOLDER."/{$books}") as $name) {
            if (preg_match('~/([^/]+)/\d+\.json$~', $name, $parts)) {
                // They come in order, and all numbers are of one length.
                $last[$parts[1]] = $name;
            }
        }
        $texts = $this->folder->readAll(array_values($last));

        foreach ($last as $book => $name) {
            // A page may be followed, and removed, between the two looks.
            $last[$book] = $texts[$name] ?? $this->lastText("{$books}/{$book}");
        }

        return array_filter($last, is_string(...));
    }

    /** The route that lands the changes of a feed; null if none does. */
    public function routeOf(string $feed): ?RoutePage
    {
        foreach ($this->routes() as $route) {
            if (isset($route->feeds[$feed])) {
                return $route;
            }
        }

        return null;
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
        $this->write($last->claimed(0, SteadyClock::time())->having($tables, []));
    }

    /**
     * @param  array<string, true>  $made  files that were made for the page
     *
     * @throws LeaseLost if somebody else has written a page since; then none of those files is left
     */
    public function write(Page $page, array $made = []): void
    {
        if (! $this->turn("feeds/{$page->feed}", $page->number, $page->toJson())) {
            $this->lost($this->last($page->feed), $page->token, $made);
        }
    }

    /**
     * @param  array<string, true>  $made  files that were made for the page
     *
     * @throws LeaseLost if somebody else has written a page since; then none of those files is left
     */
    public function writeRoute(RoutePage $page, array $made = []): void
    {
        if (! $this->turn("routes/{$page->route}", $page->number, $page->toJson())) {
            $this->lost($this->lastOfRoute($page->route), $page->token, $made);
        }
    }

    /**
     * Whoever has taken over had cleared away before these files came.
     *
     * @param  array<string, true>  $made
     *
     * @throws LeaseLost
     */
    private function lost(Page|RoutePage|null $last, int $token, array $made): never
    {
        // A store may have taken a page and failed to say so; what that page counts stays.
        array_map($this->folder->delete(...), array_keys(array_diff_key($made, $last?->kept() ?? [])));
        throw LeaseLost::to($last->token ?? $token, $token);
    }

    /**
     * Adds a page to a book, and takes away those that nobody can be reading any more.
     *
     * @return bool false if somebody else has taken its number, or had
     */
    private function turn(string $book, int $number, string $json): bool
    {
        $name = static fn (int $n): string => sprintf('%s/%s/%010d.json', self::FOLDER, $book, $n);
        if (! $this->folder->create($name($number), $json)) {
            return false;
        }
        $numbers = array_map(intval(...), $this->folder->entries(self::FOLDER."/{$book}"));
        if (max($number, ...$numbers) >= $number + self::PAGES) {
            // Whoever was held up for so long found the name free again, since its page had been taken away.
            $this->folder->delete($name($number));

            return false;
        }
        foreach ($numbers as $old) {
            $old > $number - self::PAGES || $this->folder->delete($name($old));
        }

        return true;
    }
}
