<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Postgres;

use Lighterman\Core\Capture\ReadPlan;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Format\CopyText;
use Lighterman\Core\Port\BatchReader;
use Lighterman\Core\Position\Position;
use Lighterman\Core\Record\Batch;
use Lighterman\Core\Shape\Shape;

/**
 * Streams rows out of PostgreSQL with COPY, through a psql child: PHP's own functions can only collect a COPY whole.
 *
 * Pieces are cut at line ends and stay encoded, so reading costs next to nothing per row.
 */
final class CopyReader implements BatchReader
{
    /** Small pieces keep the source reading while the target writes. */
    private const PIECE = 262_144;

    /** Encoded bytes that commit together, except in a reload, which is one unit. */
    private const UNIT = 8_388_608;

    /** Rows per statement of a first load: bounds how long one snapshot of the source is held. */
    private const CHUNK = 250_000;

    private ?PsqlStream $stream = null;

    private string $rest = '';

    private int $chunkRows = 0;

    private int $unitBytes = 0;

    /** Whether the source has given its last row. */
    private bool $exhausted = false;

    private bool $done = false;

    private Position $position;

    private readonly Shape $shape;

    public function __construct(
        private readonly PostgresSettings $settings,
        private readonly FeedDefinition $definition,
        private readonly ReadPlan $plan,
    ) {
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

        return new Batch($this->shape, $encoded, $from, $this->position, $this->plan->sourceTime, $closes);
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
        while (strlen($buffer) < self::PIECE || ! str_contains($buffer, "\n")) {
            $read = $this->stream->read();
            if ($read !== '') {
                $this->chunkRows += substr_count($read, "\n");
                $buffer .= $read;

                continue;
            }
            $this->stream->finish();
            $this->stream = null;
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

    private function open(Position $after): PsqlStream
    {
        $this->chunkRows = 0;
        $columns = Connection::names($this->shape->names());
        $select = "SELECT {$columns} FROM ".Sql::table($this->definition->source);
        $window = $this->plan->window;

        return PsqlStream::copy($this->settings, match ($this->plan->kind) {
            'reload' => $select,
            'load' => "{$select} WHERE ".Sql::load($this->definition, $window, $after)
                .' ORDER BY '.Connection::names($this->definition->key).' LIMIT '.self::CHUNK,
            'increment' => "{$select} WHERE ".($window === null ? 'false' : Sql::window($this->definition, $window))
                .' ORDER BY '.Connection::names([(string) $this->definition->watermark, ...$this->definition->key]),
        });
    }

    /** The position of the last row of a block. */
    private function reached(string $encoded): Position
    {
        if ($encoded === '' || $this->plan->kind === 'reload') {
            return $this->position;
        }
        $start = strrpos($encoded, "\n", -2);
        $row = array_combine($this->shape->names(), CopyText::row(substr($encoded, $start === false ? 0 : $start + 1)));
        $key = array_map(static fn (string $c): string => (string) $row[$c], $this->definition->key);

        return $this->plan->kind === 'load'
            ? Position::loading($this->plan->window?->until, $key, $this->plan->sourceTime)
            : Position::after((string) $row[(string) $this->definition->watermark], $key, $this->plan->end()->watermark, $this->plan->sourceTime);
    }
}
