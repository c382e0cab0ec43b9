<?php

declare(strict_types=1);

namespace App\Runtime;

use App\Models\Route;
use App\Models\RouteLog;
use App\Models\System;
use Lighterman\Connectors\Postgres\Log\PostgresLog;
use Lighterman\Connectors\Postgres\Log\SlotBook;
use Lighterman\Connectors\Postgres\PostgresSettings;
use Lighterman\Connectors\Postgres\PostgresSource;
use Lighterman\Connectors\Postgres\PostgresTarget;
use Lighterman\Connectors\Postgres\Triggers\PostgresChangeTable;
use Lighterman\Connectors\Triggers\TriggerLog;
use Lighterman\Core\Capture\Capture;
use Lighterman\Core\Port\ChangeLog;
use Lighterman\Core\Port\SourceSystem;
use Lighterman\Core\Port\TargetSystem;

/** Makes the connectors for systems; keeps one open per system and process, so that an empty run needs no new connection. */
final class Systems
{
    /** @var array<string, SourceSystem> */
    private array $sources = [];

    /** @var array<string, TargetSystem> */
    private array $targets = [];

    public function source(System $system): SourceSystem
    {
        return $this->sources[$this->version($system)] ??= new PostgresSource($this->settings($system));
    }

    public function target(System $system): TargetSystem
    {
        return $this->targets[$this->version($system)] ??= new PostgresTarget($this->settings($system));
    }

    /** What a route's changes are read by. Its connections are its own. */
    public function log(RouteLog $log): ChangeLog
    {
        return $this->logAt($log->route->source, Capture::from($log->capture), $log->slot, $log->publication);
    }

    /** The same for a route that may not be there yet. */
    public function logBetween(System $source, System $target, Capture $capture): ChangeLog
    {
        $log = Route::where(['source_id' => $source->id, 'target_id' => $target->id])->first()?->logBy($capture->value);
        $named = $log?->only('slot', 'publication') ?? RouteLog::naming($source, $target, $capture);

        return $this->logAt($source, $capture, $named['slot'], $named['publication']);
    }

    private function logAt(System $source, Capture $capture, string $slot, string $publication): ChangeLog
    {
        $settings = $this->settings($source);

        return $capture === Capture::Trigger ? new TriggerLog($source->name, new PostgresChangeTable($settings, substr($slot, -8))) : new PostgresLog($settings, $slot, $publication);
    }

    /** Replication slots of ours at a source, known here or not. */
    public function slots(System $source): SlotBook
    {
        return new SlotBook($this->settings($source));
    }

    /** Lets go of every connection, so that the next use makes a new one. */
    public function forget(): void
    {
        $this->sources = $this->targets = [];
    }

    private function version(System $system): string
    {
        return "{$system->id}@{$system->updated_at?->format('U.u')}";
    }

    private function settings(System $system): PostgresSettings
    {
        $s = $system->settings;

        return new PostgresSettings($system->name, $s['host'], (int) $s['port'], $s['database'], $s['user'], (string) $system->secret, $s['tls']);
    }
}
