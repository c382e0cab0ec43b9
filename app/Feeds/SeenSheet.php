<?php

declare(strict_types=1);

namespace App\Feeds;

use App\Models\Feed;
use Illuminate\Support\Facades\Cache;
use Lighterman\Core\Treatment\Check;
use Lighterman\Core\Treatment\Fork;
use Lighterman\Core\Treatment\InvalidTreatment;
use Lighterman\Core\Treatment\Treatment;

/**
 * Which state of a feed's treatment somebody has before them. What they do means the lines of that state, so where somebody else
 * has changed it meanwhile nothing is done, and they are told what differs.
 */
final readonly class SeenSheet
{
    /** Seconds for which a page may lie open. */
    private const OPEN = 86_400;

    /** Changes of one's own that are followed from a page that lies open. */
    private const OWN = 500;

    /** The state that a page shows, as its forms name it. */
    public static function shown(Feed $feed, Treatment $treatment): string
    {
        $state = self::state($treatment);
        Cache::has("sheet:{$feed->id}:{$state}") || Cache::put("sheet:{$feed->id}:{$state}", json_encode($treatment->toArray(), JSON_THROW_ON_ERROR), self::OPEN);

        return $state;
    }

    private static function state(Treatment $treatment): string
    {
        return hash('xxh128', json_encode($treatment->toArray(), JSON_THROW_ON_ERROR));
    }

    /**
     * Does something to the treatment of a feed.
     *
     * @template T
     *
     * @param  string|null  $seen  the state it is meant for; null where it is meant for whichever there is
     * @param  string  $by  of whoever does it, and nobody else: what they do one after the other from one page is not held against them
     * @param  callable(): T  $do
     * @return T
     *
     * @throws InvalidTreatment if somebody else has changed it since
     */
    public static function change(Feed $feed, ?string $seen, string $by, callable $do): mixed
    {
        return Cache::lock("sheet:{$feed->id}", 30)->block(10, static function () use ($feed, $seen, $by, $do): mixed {
            $now = self::now($feed);
            $seen === null || self::demand($feed, $seen, $by, $now);
            $from = self::state($now);
            $done = $do();
            $to = self::state(self::now($feed));
            $from === $to || Cache::put(self::step($feed, $from, $by), $to, self::OPEN);

            return $done;
        });
    }

    private static function now(Feed $feed): Treatment
    {
        return DraftBook::treatment(Feed::with('definition')->findOrFail($feed->id));
    }

    private static function step(Feed $feed, string $from, string $by): string
    {
        return "sheet:{$feed->id}:{$from}:".hash('xxh128', $by);
    }

    private static function demand(Feed $feed, string $seen, string $by, Treatment $now): void
    {
        $is = self::state($now);
        for ($at = $seen, $steps = 0; $at !== $is; $at = $next, $steps++) {
            $next = $steps < self::OWN ? Cache::get(self::step($feed, $at, $by)) : null;
            if (! is_string($next)) {
                $was = Cache::get("sheet:{$feed->id}:{$seen}");
                $differs = is_string($was) ? self::difference(Treatment::fromArray(json_decode($was, true, 64, JSON_THROW_ON_ERROR)), $now) : [];
                $who = DraftBook::of($feed)->person ?? 'somebody';
                throw InvalidTreatment::of("Nothing was done, for the sheet is not what you had before you: {$who} has changed it meanwhile".($differs === [] ? '' : ' ('.implode('; ', $differs).')').'. It is shown as it is now; do it again if you still mean it.');
            }
        }
    }

    /** @return list<string> what differs, in the words of the pages */
    private static function difference(Treatment $was, Treatment $is): array
    {
        $said = static function (Treatment $t): array {
            $lines = [];
            foreach ($t->sheet->lines as $line) {
                $lines[$line->from ?? $line->name()][] = $line->sentence().($line->as === null ? '' : ", landed as {$line->as}");
            }

            return array_map(static fn (array $l): string => implode(' and ', $l), $lines)
                + array_combine(array_map(static fn (Check $c): string => "check \"{$c->sentence()}\"", $t->checks), array_fill(0, count($t->checks), 'there'))
                + array_column(array_map(static fn (Fork $f): array => ["fork {$f->name}", "{$f->when}, ".count($f->sheet->lines).' columns treated'], $t->forks), 1, 0);
        };
        [$before, $after] = [$said($was), $said($is)];
        $differs = [];
        foreach (array_keys($before + $after) as $what) {
            if (($before[$what] ?? null) !== ($after[$what] ?? null)) {
                $differs[] = "{$what}: ".($before[$what] ?? 'as it was read').' → '.($after[$what] ?? 'as it was read');
            }
        }

        return $differs === [] && $was->sheet->order !== $is->sheet->order ? ['the order of the columns'] : array_slice($differs, 0, 12);
    }
}
