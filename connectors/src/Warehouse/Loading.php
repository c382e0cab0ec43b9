<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Warehouse;

use HashContext;
use Lighterman\Core\Record\Counts;
use Lighterman\Core\Trouble\LandedTrouble;
use Lighterman\Core\Trouble\SystemTrouble;

/**
 * Lines on their way into one table. They go in pieces, so that the server takes in some while the next are made. What was sent
 * must have arrived: a trigger may keep rows out, and say nothing.
 */
final class Loading
{
    /** Bytes that are sent at once. */
    private const PIECE = 262_144;

    /** Lines that were sent. */
    private int $rows = 0;

    private bool $open = false;

    private string $piece = '';

    private int $bytes = 0;

    private readonly HashContext $hash;

    private readonly ?int $before;

    /**
     * @param  string  $into  as written in SQL
     * @param  list<string>  $columns
     */
    public function __construct(private readonly Warehouse $at, private readonly string $into, private readonly array $columns)
    {
        $this->before = $at->session->arrivedIn($into);
        $this->hash = hash_init('xxh128');
    }

    /** @param  string  $lines  whole ones */
    public function add(string $lines): void
    {
        if ($this->piece === '') {
            // A line may be large, and is not copied where it stands alone.
            $this->piece = $lines;
        } else {
            $this->piece .= $lines;
        }
        if (strlen($this->piece) >= self::PIECE) {
            $this->send();
        }
    }

    private function send(): void
    {
        if ($this->piece === '') {
            return;
        }
        if (! $this->open) {
            $this->at->session->beginLoad($this->into, $this->columns);
            $this->open = true;
        }
        $this->at->session->load($this->piece);
        $this->rows += substr_count($this->piece, "\n");
        $this->bytes += strlen($this->piece);
        hash_update($this->hash, $this->piece);
        $this->piece = '';
    }

    /** Lines that were sent before the last pause. */
    public function rows(): int
    {
        return $this->rows;
    }

    /** Lets others say something over the same session. */
    public function pause(): void
    {
        $this->send();
        if ($this->open) {
            $this->open = false;
            $this->at->session->endLoad();
        }
    }

    /**
     * @return Counts with the bytes and the sum over what was sent
     *
     * @throws SystemTrouble with reason `rows_kept_out`
     */
    public function end(): Counts
    {
        $this->pause();
        $arrived = $this->before === null ? null : (int) $this->at->session->arrivedIn($this->into) - $this->before;
        if ($arrived !== null && $arrived !== $this->rows) {
            throw LandedTrouble::rowsKeptOut($this->at->system, $this->into, $this->rows, $arrived);
        }

        return new Counts(0, bytes: $this->bytes, checksum: hash_final($this->hash));
    }
}
