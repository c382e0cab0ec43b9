<?php

declare(strict_types=1);

namespace Lighterman\Core\Capture\Kind;

use Lighterman\Core\Capture\Origin;
use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\Shape;
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

    /** Whether columns that the source computes are carried. */
    protected function carriesComputed(): bool
    {
        return true;
    }

    public function carried(Origin $origin): Shape
    {
        $computed = $this->carriesComputed() ? [] : array_filter($origin->shape->columns, static fn (Column $c): bool => $c->generated);

        return $origin->shape->without([...$origin->leaveOut, ...array_map(static fn (Column $c): string => $c->name, array_values($computed))]);
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
        if ($feed->destination->landing->swaps()) {
            throw InvalidDefinition::at("{$feed->feed}: landing", "replace swaps the whole table, but capture {$this->capture()->value} brings only a part", 'Use landing upsert, or capture reload.');
        }
    }

    /** @throws InvalidDefinition where one is named that this capture does not go by */
    protected function refuseWatermark(Chosen $feed): void
    {
        if ($feed->origin->watermark !== null) {
            throw InvalidDefinition::at("{$feed->feed}: watermark", "capture {$this->capture()->value} takes no watermark", 'Remove it, or set capture to watermark.');
        }
    }
}
