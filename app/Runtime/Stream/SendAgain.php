<?php

declare(strict_types=1);

namespace App\Runtime\Stream;

use App\Models\SetAside;
use Lighterman\Connectors\SteadyClock;
use Lighterman\Core\Carrying\Carrier;
use Lighterman\Core\Carrying\Spent;
use Lighterman\Core\Landing\SourceCommit;
use Lighterman\Core\Latency\ClockOffset;

/** Lands the records of a feed that were set aside and asked to be sent again. */
final readonly class SendAgain
{
    private const AT_ONCE = 2000;

    public function __construct(private RouteStream $stream, private Landings $landings)
    {
    }

    public function some(Carrier $carrier, ClockOffset $clock): void
    {
        $records = SetAside::where('feed_id', $carrier->feed->id)->where('state', 'asked')->whereNull('overtaken_by')->orderBy('id')->limit(self::AT_ONCE)->get();
        if ($records->isEmpty()) {
            $carrier->again = false;

            return;
        }
        $this->landings->runs($carrier);
        $treating = $carrier->treating;
        $failed = 0;
        foreach ($records as $record) {
            $whole = $record->whole();
            $raw = array_map(static fn (string $c): string|false|null => $whole[$c] ?? null, $carrier->definition->carried()->names());
            $unwritable = $treating->bounds->fault($raw);
            if ($unwritable !== null) {
                $failed++;
                $record->failAgain($unwritable->reason, $unwritable->message);

                continue;
            }
            $came = $treating->again($raw, match ($record->kind) {
                'insert', 'update', 'delete' => $record->kind, default => 'load',
            }, new SourceCommit($this->stream->changes->place((string) $record->position), (int) $record->made_at), $record->number);
            $failed += (int) ($came !== true);
            $record->settle($came === true, is_bool($came) ? null : $came, $treating->sequence());
        }
        $this->landings->begin();
        $this->landings->apply($carrier);
        $receipt = $this->landings->commit($carrier, $carrier->position, null);
        $this->landings->landed($carrier, $receipt, SteadyClock::micros() + $clock->ahead, new Spent);
        $this->stream->recorder->say($carrier, "{$records->count()} records set aside before were sent again".($failed === 0 ? '.' : ", {$failed} failed again."));
        $this->stream->recorder->flush();
    }
}
