<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Postgres\Server;

use SensitiveParameter;

/** How to reach one PostgreSQL database. The password never leaves this object but for libpq's own parameters. */
final readonly class PostgresSettings
{
    /** @param  string  $tls  libpq's sslmode: disable, prefer, require, verify-full */
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

    /** A connection string for libpq. */
    public function conninfo(string $application, string $options): string
    {
        $pairs = [];
        foreach ($this->parameters($application, $options) as $name => $value) {
            $pairs[] = "{$name}='".addcslashes($value, "\\'")."'";
        }

        return implode(' ', $pairs);
    }

    /**
     * The same as environment variables for a child process, so that nothing shows in a process list.
     *
     * @see https://www.postgresql.org/docs/15/libpq-envars.html
     *
     * @return array<string, string>
     */
    public function environment(string $application, string $options): array
    {
        $names = ['host' => 'PGHOST', 'port' => 'PGPORT', 'dbname' => 'PGDATABASE', 'user' => 'PGUSER', 'password' => 'PGPASSWORD',
            'sslmode' => 'PGSSLMODE', 'connect_timeout' => 'PGCONNECT_TIMEOUT', 'application_name' => 'PGAPPNAME', 'options' => 'PGOPTIONS',
            'client_encoding' => 'PGCLIENTENCODING'];
        $environment = [];
        foreach ($this->parameters($application, $options) as $name => $value) {
            if (isset($names[$name])) {
                $environment[$names[$name]] = $value;
            }
        }

        return $environment;
    }

    /** @return array<string, string> */
    private function parameters(string $application, string $options): array
    {
        return [
            'host' => $this->host, 'port' => (string) $this->port, 'dbname' => $this->database, 'user' => $this->user,
            'password' => $this->password, 'sslmode' => $this->tls, 'connect_timeout' => '5', 'application_name' => $application,
            'options' => $options, 'client_encoding' => 'UTF8', 'keepalives_idle' => '30', 'tcp_user_timeout' => '60000',
        ];
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
