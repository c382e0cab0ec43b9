<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment;

/** What became of some records. */
final class Treated
{
    public int $dropped = 0;

    public int $warned = 0;

    /** @var list<Apart> */
    public array $apart = [];
}
