<?php

declare(strict_types=1);

namespace App\Models;

use Carbon\CarbonImmutable;
use Lighterman\Core\Capture\Kind\Kinds;
use Lighterman\Core\Position\Position;
use Lighterman\Core\Position\Positions;
use Lighterman\Core\Record\Receipt as Landed;

/**
 * Lighterman's copy of a receipt; the original stands in the target beside the rows.
 *
 * @property int $id
 * @property int $feed_id
 * @property int $sequence
 * @property int $run_id
 * @property array<array-key, mixed> $from_position
 * @property array<array-key, mixed> $to_position
 * @property int $read
 * @property int $inserted
 * @property int $updated
 * @property int $unchanged
 * @property int $deleted
 * @property int $dropped
 * @property int $set_aside
 * @property int $bytes
 * @property string $checksum
 * @property string|null $source_time
 * @property CarbonImmutable $landed_at
 * @property int $superseded
 * @property int|null $first_sequence  of the first that it stands for; null for itself only
 */
final class Receipt extends Record
{
    public $timestamps = false;

    protected $casts = ['from_position' => 'array', 'to_position' => 'array', 'landed_at' => 'immutable_datetime'];

    /** What of a receipt r of a feed f counts as carried, in SQL. Where a table is swapped, what goes with the old one does not. */
    public static function carried(): string
    {
        return '(r.inserted + r.updated + CASE WHEN f.capture IN ('.Kinds::streamsInSql().') THEN r.deleted ELSE 0 END)';
    }

    /** The number of the first receipt that it stands for. */
    public function first(): int
    {
        return $this->first_sequence ?? $this->sequence;
    }

    /** Its number, or those that it stands for: #12 to #480. */
    public function number(): string
    {
        return ($this->first_sequence === null ? '' : "#{$this->first_sequence} to ")."#{$this->sequence}";
    }

    public function from(): Position
    {
        return Positions::fromArray($this->from_position);
    }

    public function to(): Position
    {
        return Positions::fromArray($this->to_position);
    }

    /** @return array<string, mixed> a receipt of the target as a line of our table */
    public static function line(int $feedId, Landed $receipt): array
    {
        return [
            'feed_id' => $feedId, 'sequence' => $receipt->sequence, 'run_id' => $receipt->run, 'from_position' => $receipt->from->toArray(), 'to_position' => $receipt->to->toArray(),
            'read' => $receipt->read, 'inserted' => $receipt->inserted, 'updated' => $receipt->updated, 'unchanged' => $receipt->unchanged, 'deleted' => $receipt->deleted,
            'dropped' => $receipt->dropped, 'set_aside' => $receipt->setAside, 'superseded' => $receipt->superseded, 'bytes' => $receipt->bytes, 'checksum' => $receipt->checksum,
            'source_time' => $receipt->sourceTime, 'landed_at' => $receipt->landedAt, 'first_sequence' => $receipt->first,
        ];
    }
}
