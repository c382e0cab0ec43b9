<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Postgres\Server;

use Lighterman\Core\Port\Finding;
use Lighterman\Core\Trouble\ConnectionTrouble;
use Lighterman\Core\Trouble\SystemTrouble;

/** What must hold before anything else of a PostgreSQL system can be tested: it is reached, signed in to, and its clock is known. */
final class Reach
{
    private const OLDEST = 120000;

    /** @return list<Finding> the last one failed if the rest cannot be tested */
    public static function findings(Connection $connection): array
    {
        $settings = $connection->settings;
        $place = "{$settings->host}:{$settings->port}";
        try {
            $connection->value('SELECT 1');
        } catch (SystemTrouble $trouble) {
            $answered = ! ($trouble instanceof ConnectionTrouble && $trouble->isSilence());

            return [
                ...($answered ? [Finding::passed('Port', "{$place} answers.")] : []),
                Finding::failed($answered ? 'Sign-in' : 'Port', $trouble->getMessage(), (string) $trouble->remedy()),
            ];
        }
        $before = microtime(true);
        $row = $connection->row('SELECT current_setting(\'server_version_num\')::int AS version, current_setting(\'server_version\') AS said,
            coalesce((SELECT ssl FROM pg_stat_ssl WHERE pid = pg_backend_pid()), false) AS tls, extract(epoch FROM clock_timestamp()) AS clock') ?? [];
        $apart = (float) $row['clock'] - ($before + microtime(true)) / 2;

        return [
            Finding::passed('Port', "{$place} answers."),
            $row['tls'] === 't' ? Finding::passed('TLS', 'The connection is encrypted.') : self::withoutTls($settings),
            Finding::passed('Sign-in', "{$settings->user} signed in to database {$settings->database}."),
            (int) $row['version'] >= self::OLDEST
                ? Finding::passed('Version', "PostgreSQL {$row['said']}.")
                : Finding::failed('Version', "PostgreSQL {$row['said']} is older than 12.", 'Use a server of version 12 or newer.'),
            abs($apart) < 1
                ? Finding::passed('Clock', sprintf('%.0f ms apart from this machine.', $apart * 1000))
                : Finding::warned('Clock', sprintf('%.1f s apart from this machine.', $apart), 'Windows follow the source\'s clock, so nothing is missed; but time behind is off by as much. Set both clocks by the same time server.'),
        ];
    }

    private static function withoutTls(PostgresSettings $settings): Finding
    {
        return in_array($settings->host, ['localhost', '127.0.0.1', '::1'], true)
            ? Finding::passed('TLS', 'Not encrypted; the server is on this machine.')
            : Finding::warned('TLS', 'The connection is not encrypted: rows and the password\'s proof cross the network in clear.', 'Turn ssl on at the server and choose TLS mode require or verify-full.');
    }
}
