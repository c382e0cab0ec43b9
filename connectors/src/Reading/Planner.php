<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Reading;

use Lighterman\Core\Capture\BoundNote;
use Lighterman\Core\Capture\Capture;
use Lighterman\Core\Capture\ReadPlan;
use Lighterman\Core\Capture\SourceMoment;
use Lighterman\Core\Capture\Window;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Position\Position;

/** Fixes what the next run of a capture by query will read. */
final class Planner
{
    /** @param  callable(Window): bool  $any  whether the window holds a row */
    public static function plan(FeedDefinition $definition, Position $from, ?BoundNote $note, SourceMoment $moment, callable $any): ReadPlan
    {
        $mode = $definition->origin->watermarkMode();
        if ($mode === null) {
            return new ReadPlan('reload', $from, null, $moment->upTo($moment->clock));
        }
        $kept = Window::noteFor($mode, $moment, $note);
        if ($from->isLoading()) {
            $window = Window::forLoad($from, $mode, $moment, $note);

            return new ReadPlan('load', $from, $window, $moment->upTo($window->sourceTime ?? $moment->clock), $kept, empty: $window === null);
        }
        $window = Window::following($from, $mode, $definition->destination->landing, $moment, $note);

        return new ReadPlan('increment', $from, $window, $moment->upTo($window->sourceTime ?? $note->seenAt ?? $moment->clock), $kept, $window === null || ! $any($window));
    }
}
