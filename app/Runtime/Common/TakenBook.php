<?php

declare(strict_types=1);

namespace App\Runtime\Common;

use App\Models\SetAside;
use App\Models\TakenFile;
use Illuminate\Support\Facades\DB;
use Lighterman\Core\Port\TakenFiles;
use Lighterman\Core\Position\FileMark;

/** The files that one feed has taken, by Lighterman's own database. */
final readonly class TakenBook implements TakenFiles
{
    public function __construct(private int $feedId)
    {
    }

    public function known(array $paths): array
    {
        $known = [];
        foreach (array_chunk($paths, 5000) as $some) {
            foreach (TakenFile::where('feed_id', $this->feedId)->whereIn('path', $some)->get() as $file) {
                $known[$file->path] = $file->mark();
            }
        }

        return $known;
    }

    public function steadySince(array $recent, string $now): array
    {
        $lines = array_map(fn (FileMark $f): array => ['feed_id' => $this->feedId, 'path' => $f->path, 'size' => $f->size, 'modified' => $f->modified, 'since' => $now], $recent);

        return DB::transaction(function () use ($lines): array {
            $all = json_encode($lines, JSON_THROW_ON_ERROR);
            DB::delete('DELETE FROM files_ahead a WHERE feed_id = ? AND NOT EXISTS (SELECT 1 FROM jsonb_populate_recordset(NULL::files_ahead, ?::jsonb) n WHERE (n.path, n.size, n.modified) = (a.path, a.size, a.modified))', [$this->feedId, $all]);
            DB::insert('INSERT INTO files_ahead SELECT * FROM jsonb_populate_recordset(NULL::files_ahead, ?::jsonb) ON CONFLICT DO NOTHING', [$all]);

            return DB::table('files_ahead')->where('feed_id', $this->feedId)->pluck('since', 'path')->all();
        });
    }

    public function now(): string
    {
        return now()->utc()->format('Y-m-d\TH:i:s\Z');
    }

    public function asked(): array
    {
        return array_fill_keys(SetAside::where('feed_id', $this->feedId)->where('kind', SetAside::FILE)->where('state', 'asked')->whereNull('overtaken_by')->pluck('position')->all(), true);
    }
}
