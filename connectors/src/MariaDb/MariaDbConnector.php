<?php

declare(strict_types=1);

namespace Lighterman\Connectors\MariaDb;

use Lighterman\Connectors\Form\ServerFields;
use Lighterman\Connectors\Triggers\TriggerLog;
use Lighterman\Core\Capture\Capture;
use Lighterman\Core\Port\Access;
use Lighterman\Core\Port\ChangeLog;
use Lighterman\Core\Port\Form\Form;
use Lighterman\Core\Port\Source;
use Lighterman\Core\Port\SourceSystem;
use Lighterman\Core\Port\Streams;

/** Databases of MariaDB, to read from. */
final readonly class MariaDbConnector implements Source, Streams
{
    public function kind(): string
    {
        return 'mariadb';
    }

    public function word(): string
    {
        return 'MariaDB';
    }

    public function form(): Form
    {
        return ServerFields::form(3306);
    }

    public function place(array $settings): string
    {
        return ServerFields::place($settings);
    }

    public function bringsFiles(): bool
    {
        return false;
    }

    public function source(Access $access): SourceSystem
    {
        return new MariaDbSource(self::settings($access));
    }

    public function stream(Access $access, Capture $capture, array $names): ChangeLog
    {
        return new TriggerLog($access->system, new MariaDbChangeTable(self::settings($access), $names['triggers']));
    }

    public function names(Capture $capture, string $route, string $lasting, string $foreseen): array
    {
        return TriggerLog::names($foreseen);
    }

    private static function settings(Access $access): MariaDbSettings
    {
        return new MariaDbSettings($access->system, $access->text('host'), $access->number('port'), $access->text('database'), $access->text('user'), $access->secret(), $access->text('tls'));
    }
}
