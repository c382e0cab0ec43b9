<?php

declare(strict_types=1);

namespace Lighterman\Core\Landing;

/** Links the versions of one key: whatever order they arrive in, and however often, the same set gives the same chain. */
final class VersionChain
{
    /**
     * @param  list<Version>  $versions  of one key
     * @return list<Version> in order of their places, each valid until the next one, without repeats
     */
    public static function linked(array $versions): array
    {
        $byPlace = [];
        foreach ($versions as $version) {
            $byPlace[$version->place] ??= $version;
        }
        ksort($byPlace, SORT_STRING);
        $chain = array_values($byPlace);
        foreach ($chain as $i => $version) {
            $next = $chain[$i + 1] ?? null;
            // Commit times may run a little against the order of commits; no version ends before it begins.
            $chain[$i] = $version->until(match (true) {
                $version->kind === 'delete' => $version->validFrom,
                $next === null => null,
                default => max($version->validFrom, $next->validFrom),
            });
        }

        return $chain;
    }
}
