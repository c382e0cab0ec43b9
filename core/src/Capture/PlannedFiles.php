<?php

declare(strict_types=1);

namespace Lighterman\Core\Capture;

use Lighterman\Core\Position\FileMark;

/** The files that one run reads, and those that it leaves. */
final readonly class PlannedFiles
{
    /**
     * @param  list<FileMark>  $taken  to be read, in order
     * @param  array<string, string>  $refused  why some of these are set aside whole, by path
     * @param  list<FileMark>  $growing  that are left, since somebody may still be writing to them
     */
    public function __construct(public array $taken = [], public array $refused = [], public array $growing = [])
    {
    }
}
