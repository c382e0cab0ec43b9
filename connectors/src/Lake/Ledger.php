<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Lake;

use Lighterman\Core\Port\LeaseLost;
use Lighterman\Core\Trouble\FileTrouble;
use Lighterman\Core\Trouble\SystemTrouble;

/**
 * What feeds have landed in a lake: books of numbered pages, of which the last one holds.
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

    public function last(string $book): ?BookPage
    {
        // A page may be followed, and removed, between the two looks.
        for ($tries = 0; $tries < 5; $tries++) {
            $pages = array_filter($this->folder->entries(self::FOLDER."/{$book}"), static fn (string $n): bool => (bool) preg_match('/^\d+\.json$/', $n));
            if ($pages === []) {
                return null;
            }
            $name = self::FOLDER."/{$book}/".max($pages);
            $text = $this->folder->read($name);
            if ($text !== null) {
                return BookPage::fromJson($text, $this->folder->where($name));
            }
        }

        return null;
    }

    /** @return list<Page> what every feed has landed, as far as it can be read */
    public function all(): array
    {
        return array_merge([], ...array_map(static fn (BookPage $b): array => array_values($b->feeds), $this->books()));
    }

    /**
     * The last page of every book that can be read. One that is damaged holds up its own feeds, and nobody else.
     *
     * @param  list<SystemTrouble>  $damaged  what is wrong with the others
     * @return list<BookPage>
     */
    public function books(array &$damaged = []): array
    {
        return [...array_values(array_diff_key($this->lastOf('feeds', $damaged), [self::FOUND => true])), ...array_values($this->lastOf('routes', $damaged))];
    }

    /**
     * Found by one listing and read together, for a store may be far away and have hundreds of books.
     *
     * @param  list<SystemTrouble>  $damaged
     * @return array<string, BookPage> last pages, by the name of the book
     */
    private function lastOf(string $books, array &$damaged): array
    {
        $last = [];
        foreach ($this->folder->files(self::FOLDER."/{$books}") as $name) {
            if (preg_match('~/([^/]+)/\d+\.json$~', $name, $parts)) {
                // They come in order, and all numbers are of one length.
                $last[$parts[1]] = $name;
            }
        }
        $texts = $this->folder->readAll(array_values($last));
        $pages = [];
        foreach ($last as $book => $name) {
            try {
                // A page may be followed, and removed, between the two looks.
                $pages[$book] = isset($texts[$name]) ? BookPage::fromJson($texts[$name], $this->folder->where($name)) : $this->last("{$books}/{$book}");
            } catch (FileTrouble $trouble) {
                $damaged[] = $trouble;
            }
        }

        return array_filter($pages);
    }

    /** The book in which a feed stands; null if it is in none. */
    public function bookOf(string $feed): ?BookPage
    {
        $damaged = [];
        foreach ($this->lastOf('routes', $damaged) as $book) {
            if (isset($book->feeds[$feed])) {
                return $book;
            }
        }

        return $this->last(BookPage::ofFeed($feed));
    }

    /**
     * @param  list<SystemTrouble>  $damaged  what is wrong with books that cannot be read
     * @return array<string, LandedFiles> the tables that feeds have landed, by name
     */
    public function landed(array &$damaged = []): array
    {
        $tables = [];
        foreach ($this->books($damaged) as $book) {
            foreach ($book->feeds as $page) {
                $tables += $page->tables;
            }
        }
        ksort($tables);

        return $tables;
    }

    /** @return array<string, LandedFiles> the tables that a scan has found, by name */
    public function found(): array
    {
        return $this->last(BookPage::ofFeed(self::FOUND))->feeds[self::FOUND]->tables ?? [];
    }

    /**
     * @param  list<SystemTrouble>  $damaged  as landed() has it
     * @return array<string, LandedFiles> all tables of the lake, by name
     */
    public function tables(array &$damaged = []): array
    {
        return $this->landed($damaged) + $this->found();
    }

    /** @param  array<string, LandedFiles>  $tables  that a scan has found, instead of those it had found before */
    public function replaceFound(array $tables): void
    {
        $last = $this->last(BookPage::ofFeed(self::FOUND)) ?? BookPage::first(BookPage::ofFeed(self::FOUND));
        $this->write($last->landed([self::FOUND => Page::first(self::FOUND, 0)->having($tables)], null));
    }

    /**
     * @param  array<string, true>  $made  files that were made for the page
     *
     * @throws LeaseLost if somebody else has written a page since; then none of those files is left
     */
    public function write(BookPage $page, array $made = []): void
    {
        if (! $this->turn($page->book, $page->number, $page->toJson())) {
            $this->lost($this->last($page->book), $page->token, $made);
        }
    }

    /**
     * Whoever has taken over had cleared away before these files came.
     *
     * @param  array<string, true>  $made
     *
     * @throws LeaseLost
     */
    private function lost(?BookPage $last, int $token, array $made): never
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
