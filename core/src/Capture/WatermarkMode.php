<?php

declare(strict_types=1);

namespace Lighterman\Core\Capture;

use InvalidArgumentException;
use Lighterman\Core\Shape\Type;
use Lighterman\Core\Shape\TypeKind;

/** What kind of promise the values of a watermark column make about rows still to come. */
enum WatermarkMode: string
{
    /** A moment: the source's clock bounds it, so a window can end at a fixed time. */
    case Moment = 'moment';
    /** A number no two rows share: once a value is covered, no other row will bring it. */
    case Unique = 'unique';
    /** A date or a shared number: more rows with the latest value may still come, so that value stays open. */
    case Open = 'open';

    /** @throws InvalidArgumentException if no watermark can stand on the type */
    public static function for(Type $type, bool $unique): self
    {
        return match (true) {
            $type->kind->isMoment() => self::Moment,
            $type->kind === TypeKind::Date => self::Open,
            $type->kind->canBeWatermark() => $unique ? self::Unique : self::Open,
            default => throw new InvalidArgumentException("A watermark cannot stand on a column of type {$type}: its values do not grow with time."),
        };
    }
}
