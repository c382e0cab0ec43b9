<?php

declare(strict_types=1);

namespace App\Runtime;

use App\Models\RouteLog;
use App\Models\System;
use Lighterman\Connectors\Postgres\Log\PostgresLog;
use Lighterman\Connectors\Postgres\Log\SlotBook;
use Lighterman\Connectors\Postgres\PostgresSettings;
use Lighterman\Connectors\Postgres\PostgresSource;
use Lighterman\Connectors\Postgres\PostgresTarget;
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

    /** The log that a route reads. Its connections are its own. */
    public function log(RouteLog $log): ChangeLog
    {
        return $this->logAt($log->route->source, $log->slot, $log->publication);
    }

    public function logAt(System $source, string $slot, string $publication): ChangeLog
    {
        return new PostgresLog($this->settings($source), $slot, $publication);
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
