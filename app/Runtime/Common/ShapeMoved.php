<?php

declare(strict_types=1);

namespace App\Runtime\Common;

use Lighterman\Core\Shape\ShapeDifference;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Trouble\Act;
use Lighterman\Core\Trouble\Explained;
use Lighterman\Core\Trouble\Remedy;
use RuntimeException;

/** The source table no longer has the shape that was agreed. The feed is held until somebody decides. */
final class ShapeMoved extends RuntimeException implements Explained
{
    public static function by(TableName $table, ShapeDifference $difference): self
    {
        return new self("{$table} has changed its shape. ".implode(' ', $difference->sentences()));
    }

    public function remedy(): Remedy
    {
        return new Remedy('Nothing is lost: the feed goes on from where it stands. Resume it once the table has its agreed shape again, or agree to the new shape.', Act::AgreeToShape);
    }

    public function mayPass(): bool
    {
        return false;
    }
}
