<?php

declare(strict_types=1);

namespace Lighterman\Core\Capture\Kind;

use Lighterman\Core\Capture\Capture;

/** The captures there are. */
final class Kinds
{
    public static function of(Capture $capture): CaptureKind
    {
        return match ($capture) {
            Capture::Reload => new ReloadCapture,
            Capture::Watermark => new WatermarkCapture,
            Capture::Log => new LogCapture,
            Capture::Trigger => new TriggerCapture,
            Capture::Files => new FilesCapture,
        };
    }

    /** @param  string  $capture  its name */
    public static function named(string $capture): CaptureKind
    {
        return self::of(Capture::from($capture));
    }

    /** @return list<CaptureKind> */
    public static function all(): array
    {
        return array_map(self::of(...), Capture::cases());
    }

    /** The one that goes by a column that grows. */
    public static function byWatermark(): CaptureKind
    {
        return new WatermarkCapture;
    }

    /** @return list<CaptureKind> that read changes one after the other */
    public static function streams(): array
    {
        return array_values(array_filter(self::all(), static fn (CaptureKind $k): bool => $k->bringsChanges()));
    }

    /** @return string the names of those, quoted and parted by commas, as SQL has them in a list */
    public static function streamsInSql(): string
    {
        return implode(', ', array_map(static fn (CaptureKind $k): string => "'{$k->capture()->value}'", self::streams()));
    }
}
