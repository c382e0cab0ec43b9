<?php

declare(strict_types=1);

namespace App\Runtime\Stream;

use App\Models\SetAside;
use App\Runtime\Treating\Again;
use App\Runtime\Treating\OtherRow;
use Lighterman\Core\Carrying\Carrier;
use Lighterman\Core\Carrying\Spent;
use Lighterman\Core\Landing\SourceCommit;
use Lighterman\Core\Latency\ClockOffset;
use Lighterman\Core\Record\Unwritable;
use Lighterman\Core\Treatment\Apart;

/** Lands the records of a feed that were set aside and asked to be sent again. */
final readonly class SendAgain
{
    public function __construct(private RouteStream $stream, private Landings $landings)
    {
    }

    public function some(Carrier $carrier, ClockOffset $clock): void
    {
        $treating = $carrier->treating;
        $other = new OtherRow($carrier->definition, $treating->treater(), $this->stream->systems->target($this->stream->log->route->target));
        $again = Again::some($carrier->feed->id, $carrier->definition, $treating->bounds, $this->stream->lease, $treating->sequence(), function (SetAside $record, array $raw) use ($carrier, $other): Apart|Unwritable|bool {
            $this->landings->runs($carrier);

            return $other->refuses($record, $raw) ?? $carrier->treating->again($raw, match ($record->kind) {
                'insert', 'update', 'delete' => $record->kind, default => 'load',
            }, new SourceCommit($this->stream->changes->place((string) $record->position), (int) $record->made_at), $record->number);
        });
        if ($again === null) {
            $carrier->again = false;

            return;
        }
        if ($again->lands()) {
            $this->landings->begin();
            $this->landings->apply($carrier);
            $receipt = $this->landings->commit($carrier, $carrier->position, null);
            $this->landings->landed($carrier, $receipt, $clock, new Spent);
        }
        $this->stream->recorder->say($carrier, $again->said());
        $this->stream->recorder->flush();
    }
}
