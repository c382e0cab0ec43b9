<?php

declare(strict_types=1);

namespace Lighterman\Core\Capture\Kind;

use Lighterman\Core\Capture\Capture;
use Lighterman\Core\Capture\Origin;
use Lighterman\Core\Capture\TableFacts;
use Lighterman\Core\Guarantee\Claim;
use Lighterman\Core\Guarantee\SourceCapabilities;
use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Trouble\InvalidDefinition;

/** Everything that anybody asks of one way of noticing what is new. Nobody outside this folder tells captures apart by name. */
interface CaptureKind
{
    public function capture(): Capture;

    /** What it does, in a sentence. */
    public function explanation(): string;

    /** Whether what arrives are changes, read one after the other, and not the rows that a query finds. */
    public function bringsChanges(): bool;

    /** What pages call the things that it reads from; null where each feed asks for itself. */
    public function stream(): ?StreamWords;

    /** Whether every run reads everything there is. */
    public function readsWhole(): bool;

    /** Whether it goes by a column that grows. */
    public function takesWatermark(): bool;

    /** Whether it is of files only. */
    public function readsFiles(): bool;

    /** The columns that are carried, in order. */
    public function carried(Origin $origin): Shape;

    /** Whether the last values of key and watermark stand in the feed's position. */
    public function keepsKey(): bool;

    /** Whether a table, or a part of it, can be read once more on request. */
    public function loadsAgain(): bool;

    /**
     * How rows land where nobody says otherwise.
     *
     * @param  Landing  $suggested  by what is known of the table
     */
    public function landing(Landing $suggested): Landing;

    /** What is proposed as the most that a feed may be behind. */
    public function promiseMinutes(): int;

    /** @throws InvalidDefinition where a feed cannot be carried like this */
    public function check(Chosen $feed): void;

    public function delivery(Chosen $feed): Claim;

    public function changes(Chosen $feed, SourceCapabilities $source, ?TableFacts $facts): Claim;

    public function deletes(Chosen $feed, SourceCapabilities $source): Claim;

    public function lateCommits(Chosen $feed, SourceCapabilities $source): Claim;

    public function order(): Claim;

    /** What of others' doings at the source is noticed, as a sentence with a blank after it; empty for nothing. */
    public function noticed(): string;
}
