<?php

declare(strict_types=1);

namespace App\Runtime\Common;

use App\Models\SetAside;
use App\Models\TakenFile;
use Lighterman\Core\Port\TakenFiles;

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

    public function asked(): array
    {
        return array_fill_keys(SetAside::where('feed_id', $this->feedId)->where('kind', SetAside::FILE)->where('state', 'asked')->whereNull('overtaken_by')->pluck('position')->all(), true);
    }
}
