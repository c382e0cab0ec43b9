<?php

declare(strict_types=1);

namespace Lighterman\Core\Capture;

use Lighterman\Core\Position\FileMark;

/** The files that a pattern means. */
final readonly class FilesFound
{
    /** @param  FileMark  $newest  the one that was looked at */
    public function __construct(public int $files, public int $bytes, public FileMark $newest)
    {
    }
}
