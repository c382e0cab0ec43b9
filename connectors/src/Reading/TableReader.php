<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Reading;

use Lighterman\Core\Capture\ReadPlan;
use Lighterman\Core\Capture\Slice;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Format\CopyText;
use Lighterman\Core\Port\BatchReader;
use Lighterman\Core\Position\LoadPosition;
use Lighterman\Core\Position\Position;
use Lighterman\Core\Position\WatermarkPosition;
use Lighterman\Core\Record\Batch;
use Lighterman\Core\Record\Stretch;
use Lighterman\Core\Shape\Shape;

/**
 * Reads what a plan names from a table, as a stream.
 *
 * Pieces are cut at line ends and stay encoded, so that they cost next to nothing per row where the source itself encodes.
 */
final class TableReader implements BatchReader
{
    /** Small pieces keep the source reading while the target writes. */
    private const PIECE = 262_144;

    /** Encoded bytes that commit together, except in a reload, which is one unit. */
    private const UNIT = 8_388_608;

    /** Rows per statement of a first load: bounds how long one snapshot of the source is held. */
    private const CHUNK = 250_000;

    private ?RowStream $stream = null;

    private string $rest = '';

    private int $chunkRows = 0;

    private int $unitBytes = 0;

    /** Whether the source has given its last row. */
    private bool $exhausted = false;

    private bool $done = false;

    private Position $position;

    private readonly Shape $shape;

    private readonly Conditions $conditions;

    /** @var callable(string): RowStream */
    private $query;

    /** @param  callable(string): RowStream  $query  runs a SELECT */
    public function __construct(
        private readonly FeedDefinition $definition,
        private readonly ReadPlan $plan,
        Spelling $spelling,
        callable $query,
    ) {
        $this->conditions = new Conditions($spelling, $definition);
        $this->query = $query;
        $this->shape = $definition->carried();
        $this->position = $plan->from;
    }

    public function next(): ?Batch
    {
        if ($this->done) {
            return null;
        }
        $from = $this->position;
        $encoded = $this->block();
        $this->done = $this->exhausted;
        $this->position = $this->done ? $this->plan->end() : $this->reached($encoded);
        $this->unitBytes += strlen($encoded);
        $closes = $this->done || ($this->plan->kind !== 'reload' && $this->unitBytes >= self::UNIT);
        $this->unitBytes = $closes ? 0 : $this->unitBytes;

        return new Batch($this->shape, $encoded, new Stretch($from, $this->position, $this->plan->complete?->upTo, $closes));
    }

    public function close(): void
    {
        $this->stream?->close();
        $this->stream = null;
        $this->done = true;
    }

    /** Whole lines of about one piece, or one row that is longer; fewer only at the end. */
    private function block(): string
    {
        $this->stream ??= $this->open($this->position);
        $buffer = $this->rest;
        $this->rest = '';
        // What is left over is no whole line.
        $ends = 0;
        while (strlen($buffer) < self::PIECE || $ends === 0) {
            $read = $this->stream->read();
            if ($read !== '') {
                $lines = substr_count($read, "\n");
                $this->chunkRows += $lines;
                $ends += $lines;
                $buffer .= $read;

                continue;
            }
            // However it ends, there is nothing left of it to close.
            [$ended, $this->stream] = [$this->stream, null];
            $ended->finish();
            if ($this->plan->kind !== 'load' || $this->chunkRows < self::CHUNK) {
                $this->exhausted = true;

                return $buffer;
            }
            $this->stream = $this->open($buffer === '' ? $this->position : $this->reached($buffer));
        }
        $end = (int) strrpos($buffer, "\n");
        $this->rest = substr($buffer, $end + 1);

        return substr($buffer, 0, $end + 1);
    }

    private function open(Position $after): RowStream
    {
        $this->chunkRows = 0;
        $select = $this->conditions->select();
        $window = $this->plan->window;

        return ($this->query)(match ($this->plan->kind) {
            'reload' => $select,
            'slice' => $select.$this->conditions->slice($this->plan->slice ?? Slice::whole()),
            'load' => "{$select} WHERE ".$this->conditions->load($window, $after)
                .' ORDER BY '.$this->conditions->names($this->definition->origin->key).' LIMIT '.self::CHUNK,
            default => "{$select} WHERE ".($window === null ? '1 = 0' : $this->conditions->window($window))
                .' ORDER BY '.$this->conditions->names([(string) $this->definition->origin->watermarkColumn(), ...$this->definition->origin->key]),
        });
    }

    /** The position of the last row of a block. */
    private function reached(string $encoded): Position
    {
        if ($encoded === '' || in_array($this->plan->kind, ['reload', 'slice'], true)) {
            return $this->position;
        }
        $start = strrpos($encoded, "\n", -2);
        $row = array_combine($this->shape->names(), CopyText::row(substr($encoded, $start === false ? 0 : $start + 1)));
        $key = array_map(static fn (string $c): string => (string) $row[$c], $this->definition->origin->key);

        return $this->plan->kind === 'load'
            ? new LoadPosition($this->plan->window?->until, $key, $this->plan->complete?->upTo)
            : new WatermarkPosition((string) $row[(string) $this->definition->origin->watermarkColumn()], $key, $this->plan->window?->end->watermark, $this->plan->complete?->upTo);
    }
}
