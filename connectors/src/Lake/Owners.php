<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Lake;

use Lighterman\Connectors\SteadyClock;
use Lighterman\Core\Port\LeaseLost;
use Lighterman\Core\Port\Owner;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Trouble\LandedTrouble;
use Lighterman\Core\Trouble\SystemTrouble;

/**
 * Which feed each table of a lake belongs to. It stands in a file of the table's own, which only one can make; books of a time
 * before there were such files say it too.
 */
final readonly class Owners
{
    private const FOLDER = Ledger::FOLDER.'/tables';

    /** Others may write to the book that a table is taken from at the same time. */
    private const TRIES = 5;

    public function __construct(private string $system, private Folder $folder, private Ledger $ledger)
    {
    }

    /** The feed other than one that a table belongs to; null where there is none. */
    public function other(TableName $table, ?string $feed): ?Owner
    {
        $claim = $this->claimed($table) ?? $this->booked($table, $feed);

        return $claim === null || $claim['feed'] === $feed ? null : new Owner($claim['feed'], $claim['since']);
    }

    /**
     * Has a table belong to a feed from now on, whoever had it before.
     *
     * @param  Page  $own  what the feed has landed
     * @return Page|null what another feed had landed there, where the feed has not taken that in yet
     *
     * @throws LeaseLost|SystemTrouble
     */
    public function claim(TableName $table, Page $own, string $book): ?Page
    {
        $claim = $this->claimed($table);
        if ($claim === null || $claim['feed'] !== $own->feed) {
            $from = $claim ?? $this->booked($table, $own->feed);
            $claim === null || $this->folder->delete(self::file($table));
            $claim = ['feed' => $own->feed, 'book' => $book, 'since' => gmdate('Y-m-d H:i \U\T\C', SteadyClock::time())] + ($from === null ? [] : ['from' => ['feed' => $from['feed'], 'book' => $from['book']]]);
            if (! $this->folder->create(self::file($table), json_encode($claim, JSON_THROW_ON_ERROR))) {
                throw LandedTrouble::unfit($this->system, $table, ["{$table} was taken by another feed just now."], 'Choose another landed table.');
            }
        }

        return isset($own->tables[(string) $table], $claim['from']) || ! isset($claim['from']) ? null : $this->handedOver($table, $claim['from']);
    }

    /** A feed that is forgotten has no tables. */
    public function release(Page $page): void
    {
        foreach (array_keys($page->tables) as $name) {
            $table = TableName::parse($name);
            if (($this->claimed($table)['feed'] ?? null) === $page->feed) {
                $this->folder->delete(self::file($table));
            }
        }
    }

    /**
     * Takes a table out of another feed's page. Whoever lands for that one can commit nothing any more, and is told why when it
     * is next taken in.
     *
     * @param  array{feed: string, book: string}  $from
     */
    private function handedOver(TableName $table, array $from): ?Page
    {
        for ($try = 1; ; $try++) {
            $book = $this->ledger->last($from['book']);
            $page = $book?->feeds[$from['feed']] ?? null;
            if ($book === null || ! isset($page?->tables[(string) $table])) {
                return $page?->given[(string) $table] ?? null;
            }
            try {
                $this->ledger->write($book->giving($from['feed'], (string) $table));
            } catch (LeaseLost $lost) {
                $try < self::TRIES || throw $lost;
            }
        }
    }

    /** @return array{feed: string, book: string, since: string|null, from?: array{feed: string, book: string}}|null */
    private function claimed(TableName $table): ?array
    {
        $text = $this->folder->read(self::file($table));
        $claim = $text === null ? null : json_decode($text, true);

        return is_string($claim['feed'] ?? null) && is_string($claim['book'] ?? null) ? $claim : null;
    }

    /** @return array{feed: string, book: string, since: null}|null */
    private function booked(TableName $table, ?string $but): ?array
    {
        foreach ($this->ledger->books() as $book) {
            foreach ($book->feeds as $feed => $page) {
                if ($feed !== $but && isset($page->tables[(string) $table])) {
                    return ['feed' => (string) $feed, 'book' => $book->book, 'since' => null];
                }
            }
        }

        return null;
    }

    private static function file(TableName $table): string
    {
        return self::FOLDER.'/'.rawurlencode((string) $table).'.json';
    }
}
