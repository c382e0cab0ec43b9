<?php

declare(strict_types=1);

namespace Lighterman\Connectors\MariaDb;

use Lighterman\Core\Trouble\ConnectionTrouble;
use PDO;
use PDOException;
use SensitiveParameter;

/** How to reach one MariaDB database. The password never leaves this object but for the driver's own parameters. */
final readonly class MariaDbSettings
{
    /** @param  string  $tls  disable, prefer, require, verify-full */
    public function __construct(
        public string $system,
        public string $host,
        public int $port,
        public string $database,
        public string $user,
        #[SensitiveParameter] private string $password,
        public string $tls = 'prefer',
    ) {
    }

    /**
     * @param  bool  $streams  whether rows come one after the other, the session being busy meanwhile
     *
     * @throws PDOException as the driver says it
     */
    public function connect(bool $readOnly, bool $streams): PDO
    {
        // Rendering must not depend on the server's settings: the zone of timestamps is UTC.
        $init = "SET time_zone = '+00:00', sql_mode = 'NO_BACKSLASH_ESCAPES,STRICT_ALL_TABLES,NO_ENGINE_SUBSTITUTION', net_write_timeout = 3600"
            .($readOnly ? ', SESSION tx_read_only = ON' : ', lock_wait_timeout = 5');
        $options = [
            PDO::ATTR_ERRMODE => PDO::ERRMODE_EXCEPTION, PDO::ATTR_TIMEOUT => 5, PDO::ATTR_EMULATE_PREPARES => true, PDO::ATTR_STRINGIFY_FETCHES => true,
            PDO::MYSQL_ATTR_USE_BUFFERED_QUERY => ! $streams, PDO::MYSQL_ATTR_INIT_COMMAND => $init, PDO::MYSQL_ATTR_LOCAL_INFILE => false,
        ];
        $dsn = "mysql:host={$this->host};port={$this->port};dbname={$this->database};charset=utf8mb4";
        $encrypted = [PDO::MYSQL_ATTR_SSL_CA => '/etc/ssl/certs/ca-certificates.crt', PDO::MYSQL_ATTR_SSL_VERIFY_SERVER_CERT => $this->tls === 'verify-full'];
        // A server without TLS notes every attempt in its log, so that one is enough.
        static $without = [];
        if ($this->tls === 'disable' || ($this->tls === 'prefer' && isset($without[$this->place()]))) {
            return new PDO($dsn, $this->user, $this->password, $options);
        }
        try {
            // The driver warns besides throwing.
            return @new PDO($dsn, $this->user, $this->password, $options + $encrypted);
        } catch (PDOException $e) {
            if (! self::isTls($e, connecting: true)) {
                throw $e;
            }
            if ($this->tls !== 'prefer') {
                throw ConnectionTrouble::tls($this->system, $this->tls);
            }
            $without[$this->place()] = true;

            return new PDO($dsn, $this->user, $this->password, $options);
        }
    }

    /** @param  bool  $connecting  while a connection is made, a server that offers no TLS looks as if it had gone away */
    public static function isTls(PDOException $e, bool $connecting = false): bool
    {
        return ($connecting && $e->getCode() === 2006) || (bool) preg_match('/\bSSL\b|certificate/i', $e->getMessage()) && ! str_contains($e->getMessage(), 'syntax');
    }

    public function place(): string
    {
        return "{$this->host}:{$this->port}/{$this->database}";
    }

    /** @return array<string, mixed> without the password */
    public function __debugInfo(): array
    {
        return ['system' => $this->system, 'place' => $this->place(), 'user' => $this->user];
    }
}
