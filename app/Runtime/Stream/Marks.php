<?php

declare(strict_types=1);

namespace App\Runtime\Stream;

use Lighterman\Connectors\SteadyClock;
use Lighterman\Core\Capture\Log\Mark;
use Lighterman\Core\Carrying\Delivered;
use Lighterman\Core\Carrying\Heartbeat;

/** Marks that a reading writes into its stream, and what it does when they come back. */
final class Marks
{
    /** When the reading looks after its feeds next, by the steady clock. */
    private float $tickAt = 0.0;

    public readonly Heartbeat $beat;

    public readonly Delivered $delivered;

    public function __construct(private readonly RouteStream $stream)
    {
        $this->beat = new Heartbeat;
        $this->delivered = new Delivered;
    }

    /** Marks of a reader that died may still be in the log, so numbers must not repeat. */
    public static function number(): int
    {
        return random_int(1, PHP_INT_MAX);
    }

    /**
     * @param  array<string, mixed>  $what
     * @param  bool  $after  whether everything committed before this call comes before it
     */
    public function write(array $what, bool $after): void
    {
        $this->stream->changes->mark(json_encode(['log' => $this->stream->log->uid] + $what, JSON_THROW_ON_ERROR), $after);
    }

    public function beat(): void
    {
        if ($this->beat->isDue(SteadyClock::seconds())) {
            $number = self::number();
            $this->beat->writes($number, SteadyClock::seconds());
            $this->stream->roster->marked($number);
            $this->write(['beat' => $number], after: true);
        }
    }

    /** A mark has come back. */
    public function comes(Mark $mark, Delivery $delivery, ?Landings $landings): void
    {
        $said = json_decode($mark->content, true);
        if (! is_array($said) || ($said['log'] ?? null) !== $this->stream->log->uid) {
            return;
        }
        if (isset($said['beat'])) {
            $this->beat->comes((int) $said['beat']);
            $this->stream->roster->markCame((int) $said['beat']);

            return;
        }
        $carrier = $this->stream->roster->withWindow((int) ($said['chunk'] ?? 0));
        $window = $carrier?->window;
        if ($carrier === null || $window === null || $landings === null) {
            return;
        }
        if (isset($said['low']) && ! $this->delivered->wereSeenBy($window->chunk)) {
            // A transaction is committed in the log, yet the snapshot could not see it: what the chunk read may be older.
            $carrier->window = null;

            return;
        }
        if (! $delivery->stays(static fn () => $landings->settleStart($carrier), $carrier)) {
            return;
        }
        if (isset($said['low'])) {
            $carrier->opens($window, $delivery->openAt() ?? $mark->place);
        } else {
            $delivery->chunk($carrier, $window);
        }
    }

    public function soon(): void
    {
        $this->tickAt = 0.0;
    }

    public function isTime(): bool
    {
        return SteadyClock::seconds() >= $this->tickAt;
    }

    /** A second of reading follows, however long what was done took. */
    public function later(): void
    {
        $this->tickAt = SteadyClock::seconds() + 1.0;
    }
}
