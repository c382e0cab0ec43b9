<?php

declare(strict_types=1);

namespace Lighterman\Core\Position;

use InvalidArgumentException;

/** Reads positions as they are stored. */
final class Positions
{
    /**
     * @param  array<string, mixed>  $data  as a position's toArray() gives it
     *
     * @throws InvalidArgumentException if the phase is unknown
     */
    public static function fromArray(array $data): Position
    {
        return match ($data['phase'] ?? null) {
            'start' => new StartPosition,
            'load' => new LoadPosition($data['until'] ?? null, $data['key'] ?? null, $data['seenAt'] ?? null),
            'after' => new WatermarkPosition($data['watermark'] ?? null, $data['key'] ?? null, $data['until'] ?? null, $data['seenAt'] ?? null),
            'log' => StreamPosition::at($data['place']),
            'log load' => StreamPosition::loading($data['place'], $data['key'] ?? null),
            'files' => new FilesPosition($data['taken'] ?? 0, array_values(array_map(FileMark::fromArray(...), $data['files'] ?? []))),
            default => throw new InvalidArgumentException('A position has one of the phases start, load, after, log, log load and files.'),
        };
    }

    public static function fromJson(string $json): Position
    {
        return self::fromArray(json_decode($json, true, 16, JSON_THROW_ON_ERROR));
    }
}
