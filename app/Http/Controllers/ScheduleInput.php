<?php

declare(strict_types=1);

namespace App\Http\Controllers;

use Lighterman\Core\Definition\Schedule;
use Lighterman\Core\Trouble\InvalidDefinition;

/** Reads the schedule fields that several forms share. */
final class ScheduleInput
{
    /**
     * @param  array<string, mixed>  $given  schedule, every_minutes, pause_seconds, cron, zone
     *
     * @throws InvalidDefinition
     */
    public static function read(array $given): Schedule
    {
        return match ($given['schedule'] ?? 'every') {
            'manual' => Schedule::manual(),
            'continuous' => Schedule::continuous((int) ($given['pause_seconds'] ?? 5)),
            'cron' => Schedule::cron(trim((string) ($given['cron'] ?? '')), ($given['zone'] ?? '') ?: 'UTC'),
            default => Schedule::everyMinutes((int) ($given['every_minutes'] ?? 5)),
        };
    }
}
