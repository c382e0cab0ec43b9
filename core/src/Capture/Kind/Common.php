<?php

declare(strict_types=1);

namespace Lighterman\Core\Capture\Kind;

use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Trouble\InvalidDefinition;

/** What captures have in common unless they say otherwise. */
abstract class Common implements CaptureKind
{
    public function readsWhole(): bool
    {
        return false;
    }

    public function takesWatermark(): bool
    {
        return false;
    }

    public function readsFiles(): bool
    {
        return false;
    }

    public function carriesComputed(): bool
    {
        return true;
    }

    public function keepsKey(): bool
    {
        return true;
    }

    public function loadsAgain(): bool
    {
        return true;
    }

    public function promiseMinutes(): int
    {
        return 15;
    }

    /** @throws InvalidDefinition where it would lose what was not read */
    protected function refuseReplacing(Chosen $feed): void
    {
        if ($feed->landing === Landing::Replace) {
            throw InvalidDefinition::at("{$feed->feed}: landing", "replace swaps the whole table, but capture {$this->capture()->value} brings only a part", 'Use landing upsert, or capture reload.');
        }
    }

    /** @throws InvalidDefinition where one is named that this capture does not go by */
    protected function refuseWatermark(Chosen $feed): void
    {
        if ($feed->watermark !== null || $feed->overlap !== 0) {
            throw InvalidDefinition::at("{$feed->feed}: watermark", "capture {$this->capture()->value} takes no watermark", 'Remove it, or set capture to watermark.');
        }
    }
}
