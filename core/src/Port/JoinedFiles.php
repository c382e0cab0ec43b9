<?php

declare(strict_types=1);

namespace Lighterman\Core\Port;

/** What became of a table's, or a feed's, files when small ones were joined. */
final readonly class JoinedFiles
{
    /**
     * @param  int  $before  files that there were
     * @param  int  $after  files that there are
     */
    public function __construct(public int $before, public int $after)
    {
    }
}
