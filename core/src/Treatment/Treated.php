<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment;

/** What became of some records. */
final class Treated
{
    public int $dropped = 0;

    public int $warned = 0;

    /** @var array<int, int> records that landed and satisfy a rule, by rule */
    public array $matched = [];

    /** @var array<int, list<list<string|false|null>>> some of them, as they landed, by rule */
    public array $samples = [];

    /** @var list<Apart> */
    public array $apart = [];
}
