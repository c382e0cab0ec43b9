<?php

declare(strict_types=1);

namespace App\Runtime\Stream;

use App\Models\Feed;
use App\Runtime\Common\FileJoining;
use Lighterman\Core\Carrying\Carrier;
use Lighterman\Core\Carrying\Stage;
use Lighterman\Core\Carrying\Window;
use Lighterman\Core\Port\JoinedFiles;
use Lighterman\Core\Port\LoadChunk;

/** What is done for feeds between two transactions of the stream: landing what waits in the spool, sending again, loading, joining files. */
final readonly class Beside
{
    /** Loads that go on at the same time, and bytes of their chunks held together. */
    private const WINDOWS = 16;

    private const WINDOW_BYTES = 4 << 20;

    public function __construct(private RouteStream $stream, private Recording $recording, private Refusals $refusals, private Loads $loads, private Landings $landings, private Delivery $delivery, private Marks $marks, private string $worker)
    {
    }

    /** @return bool whether there was something to do */
    public function any(): bool
    {
        return $this->drain() || $this->sendAgain() || $this->load() || $this->join();
    }

    /** Lands what a feed has in the spool. */
    private function drain(): bool
    {
        $carrier = $this->stream->roster->drainable();
        if ($carrier === null) {
            return false;
        }
        $this->delivery->flushSpool();
        $drain = new SpoolDrain($this->stream, $this->landings);
        $this->delivery->stays(function () use ($drain, $carrier): void {
            if (! $this->refusals->guarded($carrier, fn (): bool => $drain->some($carrier, $this->delivery->clock))) {
                $carrier->goes(Stage::Along);
                $this->stream->roster->lookAgain();
                // What was to wait for that begins now.
                $this->marks->soon();
            }
        }, $carrier);

        return true;
    }

    /** Lands what a feed had set aside and somebody asked to be sent again. */
    private function sendAgain(): bool
    {
        $carrier = $this->stream->roster->sendable();
        if ($carrier === null) {
            return false;
        }
        $again = new SendAgain($this->stream, $this->landings);
        $this->delivery->stays(fn () => $this->refusals->guarded($carrier, fn () => $again->some($carrier, $this->delivery->clock)), $carrier);

        return true;
    }

    /** Joins the small files of a feed for which somebody asked that. */
    private function join(): bool
    {
        $carrier = $this->stream->roster->joinable();
        if ($carrier === null) {
            return false;
        }
        FileJoining::run(Feed::findOrFail($carrier->feed->id), $this->worker, fn (): ?JoinedFiles => $this->landings->target->join($carrier->feed->uid));
        $carrier->joins = false;

        return true;
    }

    /** Asks for the next chunks of loads. */
    private function load(): bool
    {
        $started = false;
        foreach ($this->stream->roster->wantingChunk(self::WINDOWS) as $carrier) {
            if ($this->stream->roster->windowBytes() > self::WINDOW_BYTES) {
                break;
            }
            $this->delivery->stays(function () use ($carrier, &$started): void {
                $started = $this->chunk($carrier) || $started;
            }, $carrier);
        }

        return $started;
    }

    private function chunk(Carrier $carrier): bool
    {
        $number = Marks::number();
        $this->marks->write(['chunk' => $number, 'low' => true], after: false);
        [$slice, $asked] = $this->loads->next($carrier);
        $chunk = $this->recording->atSource($carrier, fn (): LoadChunk => $this->stream->changes->chunk($carrier->definition, $slice, $asked === null ? $carrier->load->chunkRows : count($asked)));
        if ($this->stream->changes->lingering($chunk->unseen)) {
            return false;
        }
        $carrier->window = new Window($number, $chunk, $carrier->key, $asked);
        $asked !== null || $carrier->load->sized($chunk);
        $this->marks->write(['chunk' => $number, 'high' => true], after: true);

        return true;
    }
}
