<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Warehouse;

use Lighterman\Core\Trouble\LandedTrouble;
use Lighterman\Core\Trouble\Reason;
use Lighterman\Core\Trouble\SystemTrouble;

/** Lines on their way into one table. What was sent must have arrived: a trigger may keep rows out, and say nothing. */
final class Loading
{
    private bool $open = false;

    private readonly ?int $before;

    /**
     * @param  string  $into  as written in SQL
     * @param  list<string>  $columns
     */
    public function __construct(private readonly Warehouse $at, private readonly string $into, private readonly array $columns)
    {
        $this->before = $at->session->arrivedIn($into);
    }

    /** @param  list<string>  $columns */
    public static function whole(Warehouse $at, string $into, array $columns, string $lines): void
    {
        $loading = new self($at, $into, $columns);
        $loading->put($lines);
        $loading->end(substr_count($lines, "\n"));
    }

    /** @param  string  $lines  whole ones */
    public function put(string $lines): void
    {
        if ($lines === '') {
            return;
        }
        if (! $this->open) {
            $this->at->session->beginLoad($this->into, $this->columns);
            $this->open = true;
        }
        $this->at->session->load($lines);
    }

    /** Lets others say something over the same session. */
    public function pause(): void
    {
        if ($this->open) {
            $this->open = false;
            $this->at->session->endLoad();
        }
    }

    /**
     * @param  int  $rows  rows that were put
     *
     * @throws SystemTrouble with reason `rows_kept_out`
     */
    public function end(int $rows): void
    {
        $this->pause();
        $arrived = $this->before === null ? null : (int) $this->at->session->arrivedIn($this->into) - $this->before;
        if ($arrived !== null && $arrived !== $rows) {
            throw LandedTrouble::rowsKeptOut($this->at->system, $this->into, $rows, $arrived);
        }
    }
}
