<?php

declare(strict_types=1);

namespace App\Feeds;

use App\Models\Feed;
use App\Runtime\Common\Systems;
use Illuminate\Support\Facades\Cache;
use Illuminate\Support\Facades\Crypt;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Port\Sampling;

/** Rows of a feed's source for people to look at. Kept for some minutes, encrypted, so that a sheet can be edited at once. */
final class Samples
{
    public const ROWS = 50;

    private const SECONDS = 600;

    /** @return list<list<string|null>> */
    public static function of(Feed $feed, FeedDefinition $definition, Sampling $which, Systems $systems): array
    {
        $name = 'sample:'.$feed->id.':'.hash('xxh128', serialize([$which, $definition->carried()->names()]));
        $kept = Cache::get($name);
        if (is_string($kept)) {
            return json_decode(Crypt::decryptString($kept), true, 8, JSON_THROW_ON_ERROR);
        }
        $rows = $systems->source($feed->route->source)->some($definition, $which, self::ROWS);
        Cache::put($name, Crypt::encryptString(json_encode($rows, JSON_THROW_ON_ERROR | JSON_INVALID_UTF8_SUBSTITUTE)), self::SECONDS);

        return $rows;
    }

    /** @param  string|null  $way  first, last or random */
    public static function way(?string $way): Sampling
    {
        return match ($way) {
            'first' => Sampling::first(), 'random' => Sampling::random(), default => Sampling::last(),
        };
    }
}
