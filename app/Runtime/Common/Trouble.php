<?php

declare(strict_types=1);

namespace App\Runtime\Common;

use Lighterman\Core\Trouble\Explained;
use Lighterman\Core\Trouble\SystemTrouble;

/** How trouble is kept in the database. */
final class Trouble
{
    /** @return array{message: string, remedy: string, passing: bool, asks: string|null, reason: string|null} asks: what a person is to decide */
    public static function told(Explained $trouble): array
    {
        $reason = $trouble instanceof SystemTrouble ? $trouble->reason : null;
        $asks = match (true) {
            $trouble instanceof ShapeMoved => 'shape', $trouble instanceof TableEmptied => 'emptied', $reason?->asksToLoad() === true => 'load', default => null,
        };

        return ['message' => $trouble->getMessage(), 'remedy' => $trouble->remedy(), 'passing' => $trouble->mayPass(), 'asks' => $asks, 'reason' => $reason?->value];
    }
}
