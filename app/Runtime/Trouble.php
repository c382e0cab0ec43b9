<?php

declare(strict_types=1);

namespace App\Runtime;

use Lighterman\Core\Port\Explained;

/** How trouble is kept in the database. */
final class Trouble
{
    /** @return array{message: string, remedy: string, passing: bool} */
    public static function told(Explained $trouble): array
    {
        return ['message' => $trouble->getMessage(), 'remedy' => $trouble->remedy(), 'passing' => $trouble->mayPass()];
    }
}
