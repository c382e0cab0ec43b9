<?php

declare(strict_types=1);

namespace Lighterman\Core\Port;

use Lighterman\Core\Capture\Capture;

/** A kind of system whose changes can be read one after the other. */
interface Streams extends Connector
{
    /**
     * The changes of a route's tables. Its connections are its own.
     *
     * @param  array<string, string>  $names  as names() gave them
     */
    public function stream(Access $access, Capture $capture, array $names): ChangeLog;

    /**
     * What the things at the source are called that a route's changes are read by. They do not change as long as the route is
     * there.
     *
     * @param  string  $route  its systems' names
     * @param  string  $lasting  an id that is the route's alone
     * @param  string  $foreseen  eight characters that are the same for the route whenever they are asked for
     * @return array<string, string> by what they are called in a sentence, such as slot or publication
     */
    public function names(Capture $capture, string $route, string $lasting, string $foreseen): array;
}
