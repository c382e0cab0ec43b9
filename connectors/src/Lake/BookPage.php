<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Lake;

use Lighterman\Core\Port\Holder;
use Lighterman\Core\Position\LogPlace;
use Lighterman\Core\Position\Place;
use Lighterman\Core\Trouble\FileTrouble;
use Lighterman\Core\Trouble\SystemTrouble;

/**
 * What the feeds of one holder have landed in a lake, as it stands after one commit. A route's book has all of its feeds together,
 * so that a source transaction counts whole, and the place in the source's stream of changes that the route has reached; what is
 * read by query has a book for each feed.
 */
final readonly class BookPage
{
    private const FEEDS = 'feeds/';

    private const ROUTES = 'routes/';

    /**
     * @param  string  $book  its name
     * @param  int  $number  of the page; every commit writes the next
     * @param  int  $token  fencing token of whoever wrote it
     * @param  string|null  $place  in the stream of changes, as the stream writes it; null at the start
     * @param  array<string, Page>  $feeds
     */
    public function __construct(public string $book, public int $number, public int $token, public ?string $place, public array $feeds)
    {
    }

    public static function nameFor(Holder $holder): string
    {
        return ($holder->isRoute ? self::ROUTES : self::FEEDS).$holder->of;
    }

    public static function ofFeed(string $feed): string
    {
        return self::FEEDS.$feed;
    }

    public static function first(string $book): self
    {
        return new self($book, 0, 0, null, []);
    }

    /** The page that follows when the book is taken by the holder of a token. */
    public function claimed(int $token, int $now): self
    {
        return new self($this->book, $this->number + 1, $token, $this->place, array_map(static fn (Page $p): Page => $p->claimed($token, $now), $this->feeds));
    }

    /**
     * The page that follows when something has landed, or a feed is taken in.
     *
     * @param  array<string, Page>  $feeds  those that have changed
     */
    public function landed(array $feeds, ?Place $place): self
    {
        return new self($this->book, $this->number + 1, $this->token, $place?->text() ?? $this->place, $feeds + $this->feeds);
    }

    /** The page that follows when a feed is to begin anew. The book goes on, so that a worker held up since before cannot. */
    public function without(string $feed): self
    {
        return new self($this->book, $this->number + 1, $this->token, $this->place, array_diff_key($this->feeds, [$feed => true]));
    }

    /** The page that follows when another feed takes a table over: the holder's token holds no more. */
    public function giving(string $feed, string $table): self
    {
        return new self($this->book, $this->number + 1, $this->token + 1, $this->place, [$feed => $this->feeds[$feed]->giving($table)] + $this->feeds);
    }

    /** @return array<string, true> files that must stay */
    public function kept(): array
    {
        return array_merge([], ...array_values(array_map(static fn (Page $p): array => $p->kept(), $this->feeds)));
    }

    public function toJson(): string
    {
        $own = substr($this->book, strlen(self::FEEDS));
        $data = str_starts_with($this->book, self::FEEDS)
            ? ['number' => $this->number, 'token' => $this->token] + ($this->feeds[$own] ?? Page::first($own, $this->token))->toArray()
            : ['route' => substr($this->book, strlen(self::ROUTES)), 'number' => $this->number, 'token' => $this->token, 'place' => $this->place, 'feeds' => array_map(static fn (Page $p): array => $p->toArray(), $this->feeds)];

        $json = json_encode($data, JSON_THROW_ON_ERROR | JSON_UNESCAPED_UNICODE | JSON_UNESCAPED_SLASHES);

        // What it says decides which rows there are, so it says as well how to tell that it is whole.
        return substr($json, 0, -1).',"sum":"'.hash('sha256', $json).'"}';
    }

    /**
     * @param  string  $path  for messages
     *
     * @throws SystemTrouble if it is not as it was written
     */
    public static function fromJson(string $json, string $path): self
    {
        $data = json_decode($json, true, 64);
        if (! is_array($data)) {
            throw FileTrouble::damagedPage($path, 'it holds no JSON, or a part of one only');
        }
        // Pages of earlier releases have no sum.
        if (isset($data['sum']) && hash('sha256', substr($json, 0, -strlen(',"sum":""}') - 64).'}') !== $data['sum']) {
            throw FileTrouble::damagedPage($path, 'what it holds does not match its sum');
        }
        if (isset($data['feed'])) {
            return new self(self::FEEDS.$data['feed'], $data['number'], $data['token'], null, [$data['feed'] => Page::fromArray($data)]);
        }
        // Pages of the first format hold the byte of a log as a number.
        $place = is_int($data['place']) ? ($data['place'] === 0 ? null : LogPlace::before($data['place'])->text()) : $data['place'];

        return new self(self::ROUTES.$data['route'], $data['number'], $data['token'], $place, array_map(Page::fromArray(...), $data['feeds']));
    }
}
