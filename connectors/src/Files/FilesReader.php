<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Files;

use Generator;
use HashContext;
use Lighterman\Core\Capture\ReadPlan;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Format\FileFormat;
use Lighterman\Core\Format\Rows\BadLine;
use Lighterman\Core\Format\Rows\Block;
use Lighterman\Core\Port\BatchReader;
use Lighterman\Core\Position\FileMark;
use Lighterman\Core\Position\FilesPosition;
use Lighterman\Core\Position\Position;
use Lighterman\Core\Record\Batch;
use Lighterman\Core\Record\Stretch;
use Lighterman\Core\Record\Unreadable;
use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Trouble\FileTrouble;

/**
 * Reads the files of a plan, one after the other. A file lands whole: units end only where a file does, and small files share
 * one.
 */
final class FilesReader implements BatchReader
{
    /** Encoded bytes that go on together; a unit ends with the first file after so many. */
    private const PIECE = 1 << 20;

    /** Files in one unit, at most. */
    private const FILES = 200;

    /** @var list<FileMark> still to be read */
    private array $left;

    /** @var list<FileMark> taken by the unit under way */
    private array $unit = [];

    private int $unitBytes = 0;

    private Position $from;

    private ?FileMark $file = null;

    /** @var Generator<int, Block>|null */
    private ?Generator $blocks = null;

    private ?HashContext $hash = null;

    private int $rows = 0;

    private int $bad = 0;

    private bool $done = false;

    private readonly Shape $shape;

    public function __construct(private readonly FeedDefinition $definition, private readonly ReadPlan $plan, private readonly Store $store, private readonly Opened $opened)
    {
        $this->left = $plan->files->taken;
        $this->from = $plan->from;
        $this->shape = $definition->carried();
    }

    public function next(): ?Batch
    {
        if ($this->done) {
            return null;
        }
        $encoded = '';
        $unreadable = [];
        while (strlen($encoded) < self::PIECE && count($unreadable) < 1000) {
            $file = $this->file ??= $this->begin($unreadable);
            if ($file === null) {
                // Files that were gone by the time they were to be read leave nothing behind.
                return $this->ended($encoded, $unreadable);
            }
            if ($this->blocks?->valid()) {
                $block = $this->blocks->current();
                $encoded .= $block->encoded;
                $this->rows += substr_count($block->encoded, "\n");
                $this->bad += count($block->bad);
                $unreadable = [...$unreadable, ...array_map(static fn (BadLine $b): Unreadable => new Unreadable($file->path, $b->number, $b->reason, $b->fault, $b->row, $b->text), $block->bad)];
                $this->blocks->next();

                continue;
            }
            $this->finish($file);
            if ($this->plan->kind === 'files' && ($this->unitBytes + strlen($encoded) >= self::PIECE || count($this->unit) >= self::FILES || $this->left === [])) {
                return $this->ended($encoded, $unreadable);
            }
        }
        $this->unitBytes += strlen($encoded);

        return $this->batch($encoded, $unreadable, closes: false);
    }

    public function close(): void
    {
        $this->opened->close();
        $this->done = true;
    }

    /**
     * Opens the next file, and passes over those that are set aside whole.
     *
     * @param  list<Unreadable>  $unreadable
     */
    private function begin(array &$unreadable): ?FileMark
    {
        while (($file = array_shift($this->left)) !== null) {
            $refused = $this->plan->files->refused[$file->path] ?? null;
            if ($refused !== null) {
                $unreadable[] = new Unreadable($file->path, 0, 'file_set_aside', $refused, $this->opened->empty($file->path), '');
                $this->unit[] = $file->taken(0, 1, $file->checksum);

                continue;
            }
            if ($this->store->again($file) === null) {
                // What replaces a table needs all of the files that it was to be made of.
                $this->plan->kind !== 'reload' || throw FileTrouble::changing($file->path, 'removed');

                continue;
            }
            // What the engine reads is gone through once more for its checksum.
            $this->hash = $this->definition->origin->files?->checksum && $file->checksum === null && $this->definition->origin->files->format !== FileFormat::Parquet ? hash_init('xxh128') : null;
            $this->blocks = $this->opened->blocks($file->path, $this->hash);
            $this->rows = $this->bad = 0;

            return $file;
        }

        return null;
    }

    private function finish(FileMark $file): void
    {
        $now = $this->store->again($file);
        if ($now === null || ! $now->isSame($file)) {
            throw FileTrouble::changing($file->path, $now === null ? 'removed' : 'written to');
        }
        $checksum = $this->hash === null ? $file->checksum : hash_final($this->hash);
        $this->unit[] = $file->taken($this->rows, $this->bad, $checksum === null && $this->definition->origin->files?->checksum ? $this->store->checksum($file->path) : $checksum);
        $this->file = $this->blocks = $this->hash = null;
    }

    /** @param  list<Unreadable>  $unreadable */
    private function ended(string $encoded, array $unreadable): ?Batch
    {
        $this->done = $this->left === [];
        if ($this->plan->kind === 'files' && $this->unit === []) {
            return null;
        }

        return $this->batch($encoded, $unreadable, closes: true);
    }

    /** @param  list<Unreadable>  $unreadable */
    private function batch(string $encoded, array $unreadable, bool $closes): Batch
    {
        $to = $this->plan->kind === 'reload' ? ($closes ? $this->plan->end() : $this->plan->from) : FilesPosition::after($this->from, $this->file === null ? $this->unit : [...$this->unit, $this->file]);
        $upTo = $this->plan->complete?->upTo;
        // What is not read yet is not complete: the oldest of it says how far the copy is.
        $batch = new Batch($this->shape, $encoded, new Stretch($this->from, $to, $closes && $this->left !== [] ? min((string) $upTo, $this->left[0]->modified) : $upTo, $closes), unreadable: $unreadable);
        if ($closes) {
            $this->from = $to;
            $this->unit = [];
            $this->unitBytes = 0;
        }

        return $batch;
    }
}
