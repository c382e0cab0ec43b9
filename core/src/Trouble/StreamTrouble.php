<?php

declare(strict_types=1);

namespace Lighterman\Core\Trouble;

use Stringable;

/** The changes of a source can be read no further, or not yet. */
final class StreamTrouble extends SystemTrouble
{
    private function __construct(Reason $reason, string $message, Remedy|string $remedy, public readonly string $system)
    {
        parent::__construct($reason, $message, $remedy, false);
    }

    /** @param  string  $said  a sentence, with the system's name before it */
    public static function changesGone(string $system, string $said): self
    {
        return new self(Reason::ChangesGone, $said, self::anew('Begin anew: change table and triggers are made again, and every table is loaded again beside its changes.'), $system);
    }

    public static function slotGone(string $system, string $slot): self
    {
        return new self(Reason::SlotGone, "{$system}: the replication slot {$slot} is gone. Changes made since then can no longer be read from the log.", self::anew('Begin anew: a new slot is made and every table is loaded again beside its changes.'), $system);
    }

    public static function slotLost(string $system, string $slot): self
    {
        return new self(Reason::SlotLost, "{$system}: the server has thrown away log that slot {$slot} still needed.", self::anew('Begin anew: a new slot is made and every table is loaded again beside its changes. Raise max_slot_wal_keep_size to keep it from happening again.'), $system);
    }

    /** @param  int  $retained  bytes */
    public static function logLimit(string $system, int $retained, int $allowed): self
    {
        return new self(Reason::LogLimit, "The source kept {$retained} bytes of log for this route, more than the {$allowed} allowed, so what keeps it was removed as you chose.", self::anew('Begin anew once the target keeps up: it is made again, and every table is loaded again beside its changes.'), $system);
    }

    /** @param  string  $why  a sentence */
    public static function noPlace(string $system, string $why): self
    {
        return new self(Reason::NoPlace, "{$system}: {$why}", self::anew('Begin anew: what is read is set up again, and every table is loaded again beside its changes.'), $system);
    }

    /**
     * @param  string  $said  what is not ready, a sentence
     * @param  string  $remedy  to be done at the source
     */
    public static function notReady(string $system, string $said, string $remedy): self
    {
        return new self(Reason::NotReady, "{$system}: {$said}", $remedy, $system);
    }

    public static function sealed(): self
    {
        return new self(Reason::SpoolSealed, 'Changes in the spool cannot be opened: they were sealed with another application key.', 'Restore the application key under which they were written.', '');
    }

    /** @param  string  $why  a sentence without its full stop */
    public static function sourceReplaced(string|Stringable $table, string $why): self
    {
        return new self(Reason::SourceReplaced, "{$table}: {$why}. What its rows hold now cannot be told from what has landed.", new Remedy('Start the feed over.', Act::StartOver), (string) $table);
    }

    private static function anew(string $said): Remedy
    {
        return new Remedy($said, Act::BeginAnew);
    }
}
