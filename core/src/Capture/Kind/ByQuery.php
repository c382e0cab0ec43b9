<?php

declare(strict_types=1);

namespace Lighterman\Core\Capture\Kind;

use Lighterman\Core\Trouble\InvalidDefinition;

/** A capture that asks for rows, run by run. */
abstract class ByQuery extends Common
{
    public function bringsChanges(): bool
    {
        return false;
    }

    public function stream(): ?StreamWords
    {
        return null;
    }

    public function noticed(): string
    {
        return '';
    }

    /** @throws InvalidDefinition where it is one that only changes can have */
    protected function refuseVersions(Chosen $feed): void
    {
        if ($feed->destination->landing->keepsVersions()) {
            throw InvalidDefinition::at("{$feed->feed}: landing", "capture {$this->capture()->value} does not see every version of a row", 'Use capture log or trigger, or landing upsert.');
        }
    }
}
