<?php

declare(strict_types=1);

namespace Lighterman\Core\Capture\Kind;

use Lighterman\Core\Capture\Capture;
use Lighterman\Core\Guarantee\Claim;
use Lighterman\Core\Guarantee\SourceCapabilities;

final class LogCapture extends ByStream
{
    public function capture(): Capture
    {
        return Capture::Log;
    }

    public function explanation(): string
    {
        return 'Takes every insert, update and delete from the database\'s own change log.';
    }

    public function stream(): StreamWords
    {
        return new StreamWords('By log', 'the log', 'Change log', 'log', 'Drop the slot', 'Drops the slot, makes a new one,', 'A new slot is', true);
    }

    /** A log does not have what the source computes itself. */
    protected function carriesComputed(): bool
    {
        return false;
    }

    protected function held(): string
    {
        return 'The log holds each of them';
    }

    public function lateCommits(Chosen $feed, SourceCapabilities $source): Claim
    {
        return new Claim('late commits', 'kept', 'Late commits are covered', 'The log is in the order of commits, so nothing can slip in behind the position.');
    }

    public function order(): Claim
    {
        return new Claim('order', 'kept', 'In order of the commits', 'Once the first load is done, the copy is at every moment as the source was after one of its transactions.');
    }
}
