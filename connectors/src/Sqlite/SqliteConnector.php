<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Sqlite;

use Lighterman\Connectors\AllowedPath;
use Lighterman\Connectors\Form\PathField;
use Lighterman\Connectors\Triggers\TriggerLog;
use Lighterman\Core\Capture\Capture;
use Lighterman\Core\Port\Access;
use Lighterman\Core\Port\ChangeLog;
use Lighterman\Core\Port\Form\Form;
use Lighterman\Core\Port\Source;
use Lighterman\Core\Port\SourceSystem;
use Lighterman\Core\Port\Streams;

/** Files of SQLite, to read from. */
final readonly class SqliteConnector implements Source, Streams
{
    public function kind(): string
    {
        return 'sqlite';
    }

    public function word(): string
    {
        return 'SQLite';
    }

    public function form(): Form
    {
        return PathField::form('File on this machine', '/srv/cellar/cellar.db', 'Workers and pages must run where it lies. Capture trigger, and windows that miss nothing, need the right to write it.');
    }

    public function place(array $settings): string
    {
        return (string) $settings['path'];
    }

    public function bringsFiles(): bool
    {
        return false;
    }

    public function source(Access $access): SourceSystem
    {
        return new SqliteSource(self::settings($access));
    }

    public function stream(Access $access, Capture $capture, array $names): ChangeLog
    {
        return new TriggerLog($access->system, new SqliteChangeTable(self::settings($access), $names['triggers']));
    }

    public function names(Capture $capture, string $route, string $lasting, string $foreseen): array
    {
        return TriggerLog::names($foreseen);
    }

    private static function settings(Access $access): SqliteSettings
    {
        return new SqliteSettings($access->system, AllowedPath::of($access));
    }
}
