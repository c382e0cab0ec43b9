<?php

declare(strict_types=1);

namespace Tests\Storm;

/** Takes steps and feeds out of a story that failed, as long as it goes on failing. */
final readonly class Shrinker
{
    /** @param  callable(Story): ?string  $fails  the violation; null when it is played without one */
    public function __construct(private mixed $fails, private float $until)
    {
    }

    public function shrunk(Story $story): Story
    {
        for ($size = max(1, intdiv(count($story->steps), 2)); $size >= 1; $size = intdiv($size, 2)) {
            for ($at = 0; $at < count($story->steps) && microtime(true) < $this->until;) {
                $steps = $story->steps;
                array_splice($steps, $at, $size);
                $fewer = $story->with($steps);
                if (($this->fails)($fewer) !== null) {
                    $story = $fewer;
                } else {
                    $at += $size;
                }
            }
        }
        for ($n = count($story->feeds) - 1; $n >= 0 && count($story->feeds) > 1 && microtime(true) < $this->until; $n--) {
            $fewer = $story->withFeeds(array_values(array_diff(array_keys($story->feeds), [$n])));
            if (($this->fails)($fewer) !== null) {
                $story = $fewer;
            }
        }

        return $story;
    }
}
