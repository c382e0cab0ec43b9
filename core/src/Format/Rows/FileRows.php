<?php

declare(strict_types=1);

namespace Lighterman\Core\Format\Rows;

use Generator;

/** The rows of one file, as a feed carries them. */
interface FileRows
{
    /**
     * @return Generator<int, Block> of some hundred kilobytes each
     *
     * @throws OtherShape
     */
    public function blocks(): Generator;
}
