<?php

declare(strict_types=1);

namespace Lighterman\Core\Carrying;

use Lighterman\Core\Capture\Slice;
use Lighterman\Core\Port\LoadChunk;

/** The load of a feed's table that goes on beside its changes, and one that has yet to begin. */
final class Load
{
    private const ROWS = 20_000;

    private const BYTES = 3 << 20;

    /** What of the table is read. */
    public Slice $slice;

    /** Whether it puts right what may have been missed, so that the copy counts as whole only after it. */
    public bool $mends = false;

    /** Whether one that does is asked for, and has yet to begin. */
    public bool $asked = false;

    /** Whether a load has come to its end, so that every row of the source is there. */
    public bool $complete = false;

    /** Rows of the next chunk. */
    public int $chunkRows = 500;

    /**
     * Number of the mark that has to come back before it begins: what the stream tells of the time before may bring rows that
     * are long gone. Null before one was written, 0 once it has come.
     */
    private ?int $beginsAfter = null;

    /** Whether the first load has yet to begin. */
    private bool $first = false;

    public function __construct()
    {
        $this->slice = Slice::whole();
    }

    /** Changes may have been missed from here on back. */
    public function demand(): void
    {
        $this->asked = $this->mends = true;
        $this->beginsAfter = null;
    }

    /** Nothing has landed, and the first load is to begin. */
    public function comesFirst(): void
    {
        $this->first = true;
        $this->beginsAfter = null;
    }

    /** The first load has begun. */
    public function hasBegun(): void
    {
        if ($this->first) {
            $this->first = false;
            $this->beginsAfter = null;
        }
    }

    /** A mark is written, before which everything is older than what was asked for until now. */
    public function marked(int $number): void
    {
        if (($this->asked || $this->first) && $this->beginsAfter === null) {
            $this->beginsAfter = $number;
        }
    }

    public function markCame(int $number): void
    {
        if ($this->beginsAfter === $number) {
            $this->beginsAfter = 0;
        }
    }

    /** Whether everything that came before it was asked for has been read. */
    public function mayBegin(): bool
    {
        return $this->beginsAfter === 0;
    }

    public function begin(Slice $slice, bool $mends): void
    {
        $this->asked = false;
        $this->beginsAfter = null;
        $this->goesOn($slice, $mends);
    }

    /** One that had begun before a crash. */
    public function goesOn(Slice $slice, bool $mends): void
    {
        [$this->slice, $this->mends] = [$slice, $mends];
    }

    public function ended(): void
    {
        $this->complete = true;
        $this->mends = false;
        $this->slice = Slice::whole();
    }

    /** Sizes the next chunk by the last one, so that none takes much memory however wide the rows are. */
    public function sized(LoadChunk $chunk): void
    {
        $width = $chunk->bytes / max(1, count($chunk->rows));
        $this->chunkRows = (int) max(1, min(self::ROWS, $this->chunkRows * 8, self::BYTES / max(1, $width)));
    }
}
