<?php

declare(strict_types=1);

namespace Lighterman\Core\Trouble;

/** Lighterman itself failed. */
final class OwnTrouble extends SystemTrouble
{
    /**
     * @param  string  $doing  as in "carrying this feed"
     * @param  string  $what  the class of the exception
     * @param  string  $next  what follows, as in "it is tried again"
     */
    public static function while(string $doing, string $what, string $next): self
    {
        return new self(Reason::Fault, "Lighterman itself failed while {$doing} ({$what}).", "The log, var/storage/logs, says where. Nothing was half written; {$next}.", true);
    }
}
