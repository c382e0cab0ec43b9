<?php

declare(strict_types=1);

namespace Lighterman\Connectors\MariaDb;

use Lighterman\Connectors\Pdo\PdoConnection;
use Lighterman\Core\Trouble\SystemTrouble;
use PDO;
use PDOException;

/** Sessions at a server, which say what goes wrong in our words. */
final class Session
{
    /** @param  bool  $streams  whether rows come one after the other, the session being busy meanwhile */
    public static function open(MariaDbSettings $at, bool $readOnly, bool $streams = false): PdoConnection
    {
        return new PdoConnection(static fn (): PDO => $at->connect($readOnly, $streams), static fn (PDOException $e): SystemTrouble => Trouble::of($at, $e));
    }
}
