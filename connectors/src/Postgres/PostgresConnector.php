<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Postgres;

use Lighterman\Connectors\Form\ServerFields;
use Lighterman\Connectors\Postgres\Asking\AskingRole;
use Lighterman\Connectors\Postgres\Asking\PostgresAsker;
use Lighterman\Connectors\Postgres\Landing\PostgresTarget;
use Lighterman\Connectors\Postgres\Log\PostgresLog;
use Lighterman\Connectors\Postgres\Log\SlotBook;
use Lighterman\Connectors\Postgres\Server\PostgresSettings;
use Lighterman\Connectors\Postgres\Source\PostgresSource;
use Lighterman\Connectors\Postgres\Triggers\PostgresChangeTable;
use Lighterman\Connectors\Triggers\TriggerLog;
use Lighterman\Core\Capture\Capture;
use Lighterman\Core\Port\Access;
use Lighterman\Core\Port\Asker;
use Lighterman\Core\Port\AsksApart;
use Lighterman\Core\Port\ChangeLog;
use Lighterman\Core\Port\Form\Form;
use Lighterman\Core\Port\HoldsLog;
use Lighterman\Core\Port\Slots;
use Lighterman\Core\Port\Source;
use Lighterman\Core\Port\SourceSystem;
use Lighterman\Core\Port\Streams;
use Lighterman\Core\Port\TargetSystem;
use SensitiveParameter;

/** Databases of PostgreSQL, to read from by every capture and to land in. */
final readonly class PostgresConnector implements AsksApart, HoldsLog, Source, Streams
{
    public function kind(): string
    {
        return 'postgres';
    }

    public function word(): string
    {
        return 'PostgreSQL';
    }

    public function form(): Form
    {
        return ServerFields::form(5432);
    }

    public function place(array $settings): string
    {
        return ServerFields::place($settings);
    }

    public function bringsFiles(): bool
    {
        return false;
    }

    public function keepsFiles(): bool
    {
        return false;
    }

    public function source(Access $access): SourceSystem
    {
        return new PostgresSource(self::settings($access));
    }

    public function target(Access $access): TargetSystem
    {
        return new PostgresTarget(self::settings($access));
    }

    public function stream(Access $access, Capture $capture, array $names): ChangeLog
    {
        return $capture === Capture::Trigger
            ? new TriggerLog($access->system, new PostgresChangeTable(self::settings($access), $names['triggers']))
            : new PostgresLog(self::settings($access), $names['slot'], $names['publication']);
    }

    /** A publication may be made beforehand by the owner of the tables, so its name can be foretold; a slot is one route's alone. */
    public function names(Capture $capture, string $route, string $lasting, string $foreseen): array
    {
        $name = substr(SlotBook::PREFIX.preg_replace('/[^a-z0-9]+/', '_', strtolower($route)), 0, 54);

        return $capture === Capture::Trigger ? TriggerLog::names($foreseen) : ['slot' => $name.'_'.substr($lasting, 0, 8), 'publication' => $name];
    }

    public function slots(Access $access): Slots
    {
        return new SlotBook(self::settings($access));
    }

    public function askerStatements(array $settings, string $user): array
    {
        return AskingRole::statements((string) $settings['database'], $user);
    }

    public function makeAsker(Access $administrator, string $user, #[SensitiveParameter] string $secret): void
    {
        AskingRole::make(self::settings($administrator), $user, $secret);
    }

    public function checkAsker(Access $access, string $user, #[SensitiveParameter] string $secret): array
    {
        return AskingRole::check(self::settings($access->as($user, $secret)), $access->text('user'));
    }

    public function asker(Access $access, string $user, #[SensitiveParameter] string $secret, array $tables): Asker
    {
        return new PostgresAsker(self::settings($access), self::settings($access->as($user, $secret)), $tables);
    }

    private static function settings(Access $access): PostgresSettings
    {
        return new PostgresSettings($access->system, $access->text('host'), $access->number('port'), $access->text('database'), $access->text('user'), $access->secret(), $access->text('tls'));
    }
}
