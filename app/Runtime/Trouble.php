<?php

declare(strict_types=1);

namespace App\Runtime;

use App\Runtime\Log\TableEmptied;
use Lighterman\Core\Port\Explained;

/** How trouble is kept in the database. */
final class Trouble
{
    /** @return array{message: string, remedy: string, passing: bool, asks: string|null} asks: what a person is to decide */
    public static function told(Explained $trouble): array
    {
        $asks = match (true) {
            $trouble instanceof ShapeMoved => 'shape', $trouble instanceof TableEmptied => 'emptied', default => null,
        };

        return ['message' => $trouble->getMessage(), 'remedy' => $trouble->remedy(), 'passing' => $trouble->mayPass(), 'asks' => $asks];
    }
}
