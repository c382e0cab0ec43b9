<?php

declare(strict_types=1);

namespace Lighterman\Core\Carrying;

/** By what a feed is known while it is carried. */
final readonly class CarriedFeed
{
    /**
     * @param  int  $id  Lighterman's number of it
     * @param  string  $uid  its lasting id, under which a target knows it
     * @param  int  $definition  number of the definition by which it is carried
     */
    public function __construct(public int $id, public string $uid, public string $name, public int $definition)
    {
    }
}
