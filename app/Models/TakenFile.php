<?php

declare(strict_types=1);

namespace App\Models;

use Carbon\CarbonImmutable;
use Illuminate\Support\Facades\DB;
use Lighterman\Core\Position\FileMark;
use Lighterman\Core\Record\Receipt as Landed;

/**
 * A file that a feed has taken, as it was then. Lighterman's copy of what the receipts say.
 *
 * @property CarbonImmutable $landed_at
 * @property int $id
 * @property int $feed_id
 * @property string $path
 * @property int $size
 * @property string $modified
 * @property string|null $checksum
 * @property int $rows
 * @property int $set_aside
 * @property int $sequence
 */
final class TakenFile extends Record
{
    public $timestamps = false;

    protected $casts = ['landed_at' => 'immutable_datetime'];

    /** Repeating it for the same receipt changes nothing. */
    public static function copy(int $feedId, Landed $receipt): void
    {
        // A unit may have taken a file, and what it became, one after the other.
        $latest = [];
        foreach ($receipt->to->files() as $file) {
            $latest[$file->path] = ['feed_id' => $feedId, 'path' => $file->path, 'size' => $file->size, 'modified' => $file->modified, 'checksum' => $file->checksum, 'rows' => $file->rows, 'set_aside' => $file->setAside, 'sequence' => $receipt->sequence, 'landed_at' => $receipt->landedAt];
        }
        foreach (array_chunk(array_values($latest), 500) as $lines) {
            DB::table('taken_files')->upsert($lines, ['feed_id', 'path'], ['size', 'modified', 'checksum', 'rows', 'set_aside', 'sequence', 'landed_at']);
        }
    }

    public function mark(): FileMark
    {
        return new FileMark($this->path, $this->size, $this->modified, $this->checksum, $this->rows, $this->set_aside);
    }
}
