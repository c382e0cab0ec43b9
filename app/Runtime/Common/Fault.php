<?php

declare(strict_types=1);

namespace App\Runtime\Common;

use Illuminate\Support\Facades\Log;
use Lighterman\Core\Trouble\OwnTrouble;
use Lighterman\Core\Trouble\SystemTrouble;
use PDOException;
use Throwable;

/** How an unforeseen exception is written to the log: where it came from, without the values that were bound or passed. */
final class Fault
{
    public static function told(Throwable $e): string
    {
        $what = $e instanceof PDOException ? 'SQLSTATE '.$e->getCode() : strtok($e->getMessage(), "\n");

        return $e::class." ({$what}) at ".str_replace(base_path().'/', '', $e->getFile()).":{$e->getLine()}";
    }

    /**
     * Writes it to the log, and says to people what they can know of it.
     *
     * @param  string  $where  that the log names, as in "feed loads"
     * @param  string  $doing  as in "carrying this feed"
     */
    public static function trouble(string $where, Throwable $e, string $doing, string $next = 'it is tried again'): SystemTrouble
    {
        Log::error("{$where}: ".self::told($e));

        return OwnTrouble::while($doing, $e::class, $next);
    }
}
