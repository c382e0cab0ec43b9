<?php

declare(strict_types=1);

namespace Lighterman\Core\Port;

use Closure;

/** Who lands, and by which right: the holder of the lease on a feed that is read by query, or on a route's stream of changes. */
final readonly class Holder
{
    /**
     * @param  string  $of  lasting id of the feed or the route, under which its place is kept beside the rows
     * @param  int  $token  the lease's fencing token
     * @param  (Closure(): void)|null  $alive  called about once a second in the middle of work that may take longer than a lease lasts
     */
    private function __construct(public string $of, public bool $isRoute, public int $token, public ?Closure $alive)
    {
    }

    /** @param  (Closure(): void)|null  $alive */
    public static function feed(string $uid, int $token, ?Closure $alive = null): self
    {
        return new self($uid, false, $token, $alive);
    }

    /** @param  (Closure(): void)|null  $alive */
    public static function route(string $uid, int $token, ?Closure $alive = null): self
    {
        return new self($uid, true, $token, $alive);
    }
}
