<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Form;

use Lighterman\Core\Port\Form\Field;
use Lighterman\Core\Port\Form\FieldKind;
use Lighterman\Core\Port\Form\FieldLimits;
use Lighterman\Core\Port\Form\Form;

/** How a database server is reached. */
final class ServerFields
{
    public static function form(int $port): Form
    {
        return new Form(
            new Field('host', 'Host', limits: new FieldLimits(253, pattern: '/^[^\s\/]+$/', says: 'A host has no blanks and no /.'), default: '127.0.0.1', guards: true),
            new Field('port', 'Port', FieldKind::Number, new FieldLimits(65535, 1), (string) $port, guards: true),
            new Field('database', 'Database', limits: new FieldLimits(63), guards: true),
            new Field('user', 'User', limits: new FieldLimits(80), guards: true),
            new Field('secret', 'Password', FieldKind::Secret),
            new Field('tls', 'TLS', FieldKind::Choice, new FieldLimits(choices: ['prefer' => 'if the server offers it', 'require' => 'always', 'verify-full' => 'always, and check the certificate', 'disable' => 'never']), 'prefer', guards: true),
        );
    }

    /** @param  array<string, string|int>  $settings */
    public static function place(array $settings): string
    {
        return "{$settings['host']}:{$settings['port']}/{$settings['database']}";
    }
}
