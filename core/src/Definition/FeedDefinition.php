<?php

declare(strict_types=1);

namespace Lighterman\Core\Definition;

use Lighterman\Core\Capture\Capture;
use Lighterman\Core\Capture\Kind\CaptureKind;
use Lighterman\Core\Capture\Kind\Chosen;
use Lighterman\Core\Capture\Kind\Kinds;
use Lighterman\Core\Capture\Origin;
use Lighterman\Core\Capture\Watermark;
use Lighterman\Core\Landing\Deletes;
use Lighterman\Core\Landing\Destination;
use Lighterman\Core\Landing\LandedTable;
use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Landing\Stamps;
use Lighterman\Core\Landing\Truncates;
use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Treatment\Treatment;
use Lighterman\Core\Trouble\InvalidDefinition;

/** One immutable version of how a feed is carried. Construction checks that it can be carried out at all. */
final readonly class FeedDefinition
{
    private LandedTable $landedTable;

    /**
     * @param  Treatment  $treatment  what is done to every record on the way, and what it has to be like
     * @param  int  $promiseSeconds  the most the feed may be behind
     *
     * @throws InvalidDefinition
     */
    public function __construct(
        public string $name,
        public Origin $origin,
        public Destination $destination,
        public Treatment $treatment = new Treatment,
        public Schedule $schedule = new Schedule,
        public int $promiseSeconds = 900,
    ) {
        $check = new ChoiceCheck($name, $this->kind(), $origin, $destination);
        $check->columns($this->carried());
        $this->landedTable = (new LandedTables($name, $this->kind(), $origin, $this->carried(), $treatment, $destination))->own();
        $check->stamps($this->landedTable, $treatment);
        $check->partitions($this->landedTable);
        $check->fileColumns();
        $this->kind()->check($this->chosen());
        $check->landing();
        $check->names($promiseSeconds);
    }

    public function kind(): CaptureKind
    {
        return Kinds::of($this->origin->capture);
    }

    public function chosen(): Chosen
    {
        return new Chosen($this->name, $this->origin, $this->destination);
    }

    /** The columns that are carried, in order. */
    public function carried(): Shape
    {
        return $this->kind()->carried($this->origin);
    }

    /** The columns of the records that are treated: those carried, unless a list becomes rows. */
    public function treated(): Shape
    {
        return $this->treatment->read($this->carried());
    }

    public function landedTable(): LandedTable
    {
        return $this->landedTable;
    }

    /** @return array<string, mixed> */
    public function toArray(): array
    {
        $watermark = $this->origin->watermark;

        return [
            'name' => $this->name,
            'table' => (string) $this->origin->table,
            'shape' => $this->origin->shape->toArray(),
            'capture' => $this->origin->capture->value,
            'watermark' => $watermark?->column,
            'watermark_unique' => $watermark->unique ?? false,
            'overlap' => $watermark->overlap ?? 0,
            'key' => $this->origin->key,
            'landing' => $this->destination->landing->value,
            'landed' => (string) $this->destination->table,
            'leave_out' => $this->origin->leaveOut,
            'stamps' => $this->destination->stamps->toArray(),
            'schedule' => $this->schedule->toArray(),
            'promise_seconds' => $this->promiseSeconds,
            'take_over' => $this->destination->takeOver,
        ] + ($this->kind()->bringsChanges() ? ['deletes' => $this->destination->deletes->value, 'truncates' => $this->destination->truncates->value] : [])
            + ($this->origin->files === null ? [] : ['files' => $this->origin->files->toArray()])
            + ($this->destination->partitionBy === [] ? [] : ['partition_by' => array_map(strval(...), $this->destination->partitionBy)])
            + ($this->destination->writing->toArray() === [] ? [] : ['write_as' => $this->destination->writing->toArray()])
            + ($this->treatment->toArray() === [] ? [] : ['treatment' => $this->treatment->toArray()]);
    }

    /**
     * @param  array<string, mixed>  $data  as toArray() gives it
     *
     * @throws InvalidDefinition
     */
    public static function fromArray(array $data): self
    {
        $name = $data['name'];

        return new self(
            $name,
            new Origin(
                TableName::parse($data['table']),
                Shape::fromArray($data['shape']),
                Capture::from($data['capture']),
                $data['key'] ?? [],
                isset($data['watermark']) ? new Watermark($data['watermark'], $data['watermark_unique'] ?? false, $data['overlap'] ?? 0) : null,
                $data['leave_out'] ?? [],
                isset($data['files']) ? Said::files($name, $data['files']) : null,
            ),
            new Destination(
                TableName::parse($data['landed']),
                Landing::from($data['landing']),
                Deletes::from($data['deletes'] ?? Deletes::Apply->value),
                Truncates::from($data['truncates'] ?? Truncates::Hold->value),
                Stamps::fromArray($data['stamps'] ?? []),
                $data['take_over'] ?? false,
                Said::partitions($name, $data['partition_by'] ?? []),
                Said::writing($name, $data['write_as'] ?? []),
            ),
            Said::treatment($name, $data['treatment'] ?? []),
            Schedule::fromArray($data['schedule'] ?? []),
            $data['promise_seconds'] ?? 900,
        );
    }
}
