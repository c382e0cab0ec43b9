<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment;

/** A record that was set aside. */
final readonly class Apart
{
    /**
     * @param  list<string|false|null>  $row  as read
     * @param  int  $number  its place in its block
     */
    public function __construct(public array $row, public Judging $judging, public int $number = 0)
    {
    }
}
