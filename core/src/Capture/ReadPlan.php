<?php

declare(strict_types=1);

namespace Lighterman\Core\Capture;

use Lighterman\Core\Position\FilesPosition;
use Lighterman\Core\Position\Position;
use Lighterman\Core\Position\WatermarkPosition;

/** What one run will read: the whole table, the rest of a first load, one window of increments, some files, or a slice once more. */
final readonly class ReadPlan
{
    /**
     * @param  'reload'|'load'|'increment'|'files'|'slice'  $kind
     * @param  Position  $from  where reading begins
     * @param  Window|null  $window  null for a reload, and for a first load without a watermark
     * @param  SourceTime|null  $complete  completeness once everything planned has landed; null for a slice, which leaves it as it is
     * @param  bool  $empty  known beforehand to bring no row
     * @param  PlannedFiles  $files  for a source of files
     * @param  Slice|null  $slice  what is read once more, without the position moving; only for kind slice
     */
    public function __construct(
        public string $kind,
        public Position $from,
        public ?Window $window,
        public ?SourceTime $complete,
        public ?BoundNote $note = null,
        public bool $empty = false,
        public PlannedFiles $files = new PlannedFiles,
        public ?Slice $slice = null,
    ) {
    }

    public static function again(Position $at, Slice $slice): self
    {
        return new self('slice', $at, null, null, slice: $slice);
    }

    /** @param  array<string, string>  $refused  further files to be set aside whole, and why, by path */
    public function refusing(array $refused): self
    {
        return new self($this->kind, $this->from, $this->window, $this->complete, $this->note, $this->empty, new PlannedFiles($this->files->taken, $refused + $this->files->refused, $this->files->growing), $this->slice);
    }

    /** The position once everything planned has landed. */
    public function end(): Position
    {
        return match ($this->kind) {
            'files' => FilesPosition::after($this->from, $this->files->taken),
            'slice' => $this->from,
            default => $this->window->end ?? new WatermarkPosition((string) $this->complete?->upTo),
        };
    }
}
