<?php

declare(strict_types=1);

namespace App\Runtime;

use App\Runtime\Log\TableEmptied;
use Lighterman\Core\Port\Explained;
use Lighterman\Core\Port\SystemTrouble;

/** How trouble is kept in the database. */
final class Trouble
{
    /** @return array{message: string, remedy: string, passing: bool, asks: string|null, reason: string|null} asks: what a person is to decide */
    public static function told(Explained $trouble): array
    {
        $reason = $trouble instanceof SystemTrouble ? $trouble->reason : null;
        $asks = match (true) {
            $trouble instanceof ShapeMoved => 'shape', $trouble instanceof TableEmptied => 'emptied', str_starts_with($reason ?? '', 'landed_') => 'load', default => null,
        };

        return ['message' => $trouble->getMessage(), 'remedy' => $trouble->remedy(), 'passing' => $trouble->mayPass(), 'asks' => $asks, 'reason' => $reason];
    }
}
