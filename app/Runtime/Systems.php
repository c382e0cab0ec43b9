<?php

declare(strict_types=1);

namespace App\Runtime;

use App\Models\Route;
use App\Models\RouteLog;
use App\Models\System;
use App\Support\SystemKind;
use Lighterman\Connectors\Files\FilesSettings;
use Lighterman\Connectors\Files\FilesSource;
use Lighterman\Connectors\Lake\LakeSettings;
use Lighterman\Connectors\Lake\LakeTarget;
use Lighterman\Connectors\MariaDb\MariaDbChangeTable;
use Lighterman\Connectors\MariaDb\MariaDbSettings;
use Lighterman\Connectors\MariaDb\MariaDbSource;
use Lighterman\Connectors\Objects\ObjectStore;
use Lighterman\Connectors\Postgres\Log\PostgresLog;
use Lighterman\Connectors\Postgres\Log\SlotBook;
use Lighterman\Connectors\Postgres\PostgresSettings;
use Lighterman\Connectors\Postgres\PostgresSource;
use Lighterman\Connectors\Postgres\PostgresTarget;
use Lighterman\Connectors\Postgres\Triggers\PostgresChangeTable;
use Lighterman\Connectors\Sqlite\SqliteChangeTable;
use Lighterman\Connectors\Sqlite\SqliteSettings;
use Lighterman\Connectors\Sqlite\SqliteSource;
use Lighterman\Connectors\Triggers\TriggerLog;
use Lighterman\Core\Capture\Capture;
use Lighterman\Core\Port\ChangeLog;
use Lighterman\Core\Port\SourceSystem;
use Lighterman\Core\Port\SystemTrouble;
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
        return $this->sources[$this->version($system)] ??= match ($system->kind) {
            SystemKind::Postgres => new PostgresSource($this->postgres($system)),
            SystemKind::MariaDb => new MariaDbSource($this->mariaDb($system)),
            SystemKind::Sqlite => new SqliteSource($this->sqlite($system)),
            SystemKind::Lake, SystemKind::LakeStore => throw self::noSource($system),
            SystemKind::Files, SystemKind::FilesStore => new FilesSource(new FilesSettings($system->name, $this->place($system), ...$this->engine())),
        };
    }

    private static function noSource(System $system): SystemTrouble
    {
        return SystemTrouble::lasting('no_source', "{$system->name} is a lake; its tables cannot be carried from there.", 'Choose a database to read from.');
    }

    public function target(System $system): TargetSystem
    {
        return $this->targets[$this->version($system)] ??= match ($system->kind) {
            SystemKind::Postgres => new PostgresTarget($this->postgres($system)),
            SystemKind::Lake, SystemKind::LakeStore => new LakeTarget(new LakeSettings($system->name, $this->place($system), ...$this->engine())),
            default => throw SystemTrouble::lasting('no_target', "{$system->name} is {$system->kind->word()}; rows cannot be landed there.", 'Choose a PostgreSQL system or a lake to land in.'),
        };
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
        if ($capture === Capture::Trigger) {
            $id = substr($slot, -8);

            return new TriggerLog($source->name, match ($source->kind) {
                SystemKind::Postgres => new PostgresChangeTable($this->postgres($source), $id),
                SystemKind::MariaDb => new MariaDbChangeTable($this->mariaDb($source), $id),
                SystemKind::Sqlite => new SqliteChangeTable($this->sqlite($source), $id),
                default => throw self::noSource($source),
            });
        }

        return new PostgresLog($this->postgres($source), $slot, $publication);
    }

    /** Replication slots of ours at a source, known here or not; null where there are none. */
    public function slots(System $source): ?SlotBook
    {
        return $source->kind === SystemKind::Postgres ? new SlotBook($this->postgres($source)) : null;
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

    private function postgres(System $system): PostgresSettings
    {
        return new PostgresSettings($system->name, ...$this->server($system));
    }

    private function mariaDb(System $system): MariaDbSettings
    {
        return new MariaDbSettings($system->name, ...$this->server($system));
    }

    private function sqlite(System $system): SqliteSettings
    {
        return new SqliteSettings($system->name, (string) $system->settings['path']);
    }

    /** Where files lie: a folder of this machine, or a store. */
    private function place(System $system): string|ObjectStore
    {
        $s = $system->settings;

        return $system->kind->isStore() ? new ObjectStore(rtrim((string) $s['endpoint'], '/'), (string) $s['region'], (string) $s['bucket'], trim((string) ($s['prefix'] ?? ''), '/'), (string) $s['user'], (string) $system->secret, $s['addressing'] === 'path') : rtrim((string) $s['path'], '/');
    }

    /** @return array{memory: int, threads: int, temporary: string, fetched: int} what the embedded engine may use */
    private function engine(): array
    {
        return ['memory' => (int) config('lighterman.lake.memory_mb'), 'threads' => (int) config('lighterman.lake.threads'), 'temporary' => storage_path('lake'), 'fetched' => (int) config('lighterman.lake.fetched_mb')];
    }

    /** @return array{host: string, port: int, database: string, user: string, password: string, tls: string} */
    private function server(System $system): array
    {
        $s = $system->settings;

        return ['host' => (string) $s['host'], 'port' => (int) $s['port'], 'database' => (string) $s['database'], 'user' => (string) $s['user'], 'password' => (string) $system->secret, 'tls' => (string) $s['tls']];
    }
}
