<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Lake;

use Lighterman\Core\Position\LogPlace;
use Lighterman\Core\Position\Place;

/**
 * What the feeds of a route that bring changes have landed in a lake, as it stands after one commit: all of their tables together,
 * so that a source transaction counts whole, and the place in the source's log that the route has reached.
 */
final readonly class RoutePage
{
    /**
     * @param  int  $number  of the page; every commit writes the next
     * @param  int  $token  fencing token of whoever wrote it
     * @param  string|null  $place  in the stream of changes, as the stream writes it; null at the start
     * @param  array<string, Page>  $feeds
     */
    public function __construct(public string $route, public int $number, public int $token, public ?string $place, public array $feeds)
    {
    }

    public static function first(string $route): self
    {
        return new self($route, 0, 0, null, []);
    }

    /** The page that follows when the route is taken by the holder of a token. */
    public function claimed(int $token, int $now): self
    {
        return new self($this->route, $this->number + 1, $token, $this->place, array_map(static fn (Page $p): Page => $p->claimed($token, $now), $this->feeds));
    }

    /**
     * The page that follows when something has landed, or a feed is taken in.
     *
     * @param  array<string, Page>  $feeds  those that have changed
     */
    public function landed(array $feeds, ?Place $place): self
    {
        return new self($this->route, $this->number + 1, $this->token, $place?->text() ?? $this->place, $feeds + $this->feeds);
    }

    public function without(string $feed): self
    {
        return new self($this->route, $this->number + 1, $this->token, $this->place, array_diff_key($this->feeds, [$feed => true]));
    }

    /** @return array<string, true> files that must stay */
    public function kept(): array
    {
        return array_merge(...array_values(array_map(static fn (Page $p): array => $p->kept(), $this->feeds)));
    }

    public function toJson(): string
    {
        return json_encode(['route' => $this->route, 'number' => $this->number, 'token' => $this->token, 'place' => $this->place, 'feeds' => array_map(static fn (Page $p): array => $p->toArray(), $this->feeds)], JSON_THROW_ON_ERROR | JSON_UNESCAPED_UNICODE | JSON_UNESCAPED_SLASHES);
    }

    public static function fromJson(string $json): self
    {
        $data = json_decode($json, true, 64, JSON_THROW_ON_ERROR);

        // Pages of the first format hold the byte of a log as a number.
        $place = is_int($data['place']) ? ($data['place'] === 0 ? null : LogPlace::before($data['place'])->text()) : $data['place'];

        return new self($data['route'], $data['number'], $data['token'], $place, array_map(Page::fromArray(...), $data['feeds']));
    }
}
