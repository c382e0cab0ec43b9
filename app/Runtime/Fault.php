<?php

declare(strict_types=1);

namespace App\Runtime;

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
}
