<?php

declare(strict_types=1);

namespace Lighterman\Core\Capture\Kind;

use Lighterman\Core\Capture\Capture;
use Lighterman\Core\Capture\ChangedFile;
use Lighterman\Core\Capture\TableFacts;
use Lighterman\Core\Guarantee\Claim;
use Lighterman\Core\Guarantee\SourceCapabilities;
use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Trouble\InvalidDefinition;

final class FilesCapture extends ByQuery
{
    public function capture(): Capture
    {
        return Capture::Files;
    }

    public function explanation(): string
    {
        return 'Takes every file that matches a pattern, once.';
    }

    public function readsFiles(): bool
    {
        return true;
    }

    /** Files are taken again one by one. */
    public function loadsAgain(): bool
    {
        return false;
    }

    public function landing(Landing $suggested): Landing
    {
        return $suggested;
    }

    public function check(Chosen $feed): void
    {
        if ($feed->origin->files === null) {
            throw InvalidDefinition::at("{$feed->feed}: files", 'it is not said how the files are read', 'Say their format under files.');
        }
        $this->refuseWatermark($feed);
        $this->refuseReplacing($feed);
        $this->refuseVersions($feed);
    }

    public function delivery(Chosen $feed): Claim
    {
        return $feed->destination->landing->adds() && $feed->origin->files?->changed === ChangedFile::Again
            ? new Claim('delivery', 'at risk', 'Exactly once for files that do not change', 'The rows of a file and the note that it was taken commit together. A file that has changed is taken again whole, so its rows are added again.')
            : new Claim('delivery', 'kept', 'Exactly once, in effect', 'The rows of a file and the note that it was taken commit together, so a crash takes no file twice and leaves none out.');
    }

    public function changes(Chosen $feed, SourceCapabilities $source, ?TableFacts $facts): Claim
    {
        $noticed = 'A file counts as changed when its size or time differs'.($feed->origin->files?->checksum ? ' and its bytes are others.' : '.');

        return match ($feed->origin->files->changed ?? ChangedFile::SetAside) {
            ChangedFile::Again => new Claim('changes', 'kept', 'Changed files are taken again', $noticed),
            ChangedFile::SetAside => new Claim('changes', 'at risk', 'Changed files wait for a decision', "{$noticed} It is set aside whole, until somebody has it taken again or lets it go."),
            ChangedFile::Ignore => new Claim('changes', 'not given', 'Changed files are ignored', 'By choice: what was taken of a file stays as it was.'),
        };
    }

    public function deletes(Chosen $feed, SourceCapabilities $source): Claim
    {
        return new Claim('deletes', 'not given', 'Deletes are not seen', 'A file that is removed, and a row that is no longer in a file taken again, stay in the copy.');
    }

    public function lateCommits(Chosen $feed, SourceCapabilities $source): Claim
    {
        return new Claim('late commits', 'kept', 'Late files are covered', "A file is taken whenever it appears, whatever its name or time. It is left alone until nobody has written to it for {$feed->origin->files?->quiet} s, and read only as long as it stays the same.");
    }

    public function order(): Claim
    {
        return new Claim('order', 'kept', 'In the order in which files were written', 'Each file lands whole, and of rows with one key the last counts. A file that comes late with an old time lands after newer ones.');
    }
}
