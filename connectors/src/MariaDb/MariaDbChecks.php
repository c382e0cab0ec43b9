<?php

declare(strict_types=1);

namespace Lighterman\Connectors\MariaDb;

use Lighterman\Connectors\Pdo\PdoConnection;
use Lighterman\Core\Port\Finding;
use Lighterman\Core\Trouble\ConnectionTrouble;
use Lighterman\Core\Trouble\SystemTrouble;

/** Tests a MariaDB database as a source. */
final readonly class MariaDbChecks
{
    public function __construct(private MariaDbSettings $settings, private PdoConnection $connection)
    {
    }

    /** @return list<Finding> */
    public function findings(): array
    {
        $place = "{$this->settings->host}:{$this->settings->port}";
        try {
            $asked = microtime(true);
            $row = $this->connection->row('SELECT VERSION() AS version, UNIX_TIMESTAMP(NOW(6)) AS clock, @@auto_increment_increment AS step, @@global.time_zone AS zone, CURRENT_USER() AS account') ?? [];
            $tls = $this->connection->row("SHOW STATUS LIKE 'Ssl_cipher'") ?? [];
        } catch (SystemTrouble $trouble) {
            $answered = ! ($trouble instanceof ConnectionTrouble && $trouble->isSilence());

            return [...($answered ? [Finding::passed('Port', "{$place} answers.")] : []), Finding::failed($answered ? 'Sign-in' : 'Port', $trouble->getMessage(), (string) $trouble->remedy())];
        }
        $apart = (float) $row['clock'] - ($asked + microtime(true)) / 2;
        $version = (string) $row['version'];

        return [
            Finding::passed('Port', "{$place} answers."),
            $this->encryption(($tls['Value'] ?? '') !== ''),
            Finding::passed('Sign-in', "{$this->settings->user} signed in to database {$this->settings->database}."),
            str_contains($version, 'MariaDB') && version_compare($version, '10.6', '>=')
                ? Finding::passed('Version', "MariaDB {$version}.")
                : Finding::failed('Version', "The server says it is {$version}.", 'Use a MariaDB server of version 10.6 or newer.'),
            abs($apart) < 1
                ? Finding::passed('Clock', sprintf('%.0f ms apart from this machine.', $apart * 1000))
                : Finding::warned('Clock', sprintf('%.1f s apart from this machine.', $apart), 'Windows follow the source\'s clock, so nothing is missed; but time behind is off by as much. Set both clocks by the same time server.'),
            Finding::passed('Zone', "Columns without a zone are taken to be in the server's, {$row['zone']}."),
            $this->tables(),
            self::seesProcesses($this->connection)
                ? Finding::passed('Open transactions', 'Their start can be seen, so rows committed late are not missed.')
                : Finding::warned('Open transactions', 'The start of other users\' transactions cannot be seen, so rows committed late may be missed by a watermark.', 'GRANT PROCESS ON *.* TO '.self::account((string) $row['account']).'; or set an overlap on each feed.'),
            $row['step'] === '1'
                ? Finding::passed('Numbering', 'Numbers given at insert go up by one.')
                : Finding::warned('Numbering', "Numbers given at insert go up by {$row['step']}, as where several servers write.", 'Capture trigger needs auto_increment_increment = 1. Watermarks and reloads are not affected.'),
        ];
    }

    /** As statements about privileges write it. */
    public static function account(string $account): string
    {
        return implode('@', array_map(static fn (string $part): string => "'".str_replace("'", "''", $part)."'", explode('@', $account)));
    }

    /** @return list<string> as the server writes them */
    public static function grants(PdoConnection $connection): array
    {
        return array_map(static fn (array $g): string => (string) reset($g), $connection->rows('SHOW GRANTS'));
    }

    public static function seesProcesses(PdoConnection $connection): bool
    {
        return array_filter(self::grants($connection), static fn (string $g): bool => (bool) preg_match('/^GRANT (?=.*\b(PROCESS|ALL PRIVILEGES)\b).* ON \*\.\*/', $g)) !== [];
    }

    private function encryption(bool $encrypted): Finding
    {
        return match (true) {
            $encrypted => Finding::passed('TLS', 'The connection is encrypted.'),
            in_array($this->settings->host, ['localhost', '127.0.0.1', '::1'], true) => Finding::passed('TLS', 'Not encrypted; the server is on this machine.'),
            default => Finding::warned('TLS', 'The connection is not encrypted: rows cross the network in clear.', 'Turn TLS on at the server and choose TLS mode require or verify-full.'),
        };
    }

    private function tables(): Finding
    {
        $tables = (int) $this->connection->value("SELECT count(*) FROM information_schema.TABLES WHERE TABLE_SCHEMA = DATABASE() AND TABLE_TYPE <> 'SYSTEM VIEW'");

        return $tables > 0
            ? Finding::passed('Reading', "{$tables} ".($tables === 1 ? 'table' : 'tables')." of {$this->settings->database} can be seen.")
            : Finding::failed('Reading', "No table of {$this->settings->database} can be seen.", "GRANT SELECT ON `{$this->settings->database}`.* TO ".self::account((string) $this->connection->value('SELECT CURRENT_USER()')).';');
    }
}
