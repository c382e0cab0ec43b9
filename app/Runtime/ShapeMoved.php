<?php

declare(strict_types=1);

namespace App\Runtime;

use Lighterman\Core\Port\Explained;
use Lighterman\Core\Port\TableName;
use Lighterman\Core\Shape\ShapeDifference;
use RuntimeException;

/** The source table no longer has the shape that was agreed. The feed is held until somebody decides. */
final class ShapeMoved extends RuntimeException implements Explained
{
    public static function by(TableName $table, ShapeDifference $difference): self
    {
        return new self("{$table} has changed its shape. ".implode(' ', $difference->sentences()));
    }

    public function remedy(): string
    {
        return 'Nothing is lost: the feed goes on from where it stands. Resume it once the table has its agreed shape again, or agree to the new shape.';
    }

    public function mayPass(): bool
    {
        return false;
    }
}
