<?php

declare(strict_types=1);

namespace App\Support;

/** The kinds of database there are connectors for. */
enum SystemKind: string
{
    case Postgres = 'postgres';
    case MariaDb = 'mariadb';
    case Sqlite = 'sqlite';

    public function word(): string
    {
        return match ($this) {
            self::Postgres => 'PostgreSQL',
            self::MariaDb => 'MariaDB',
            self::Sqlite => 'SQLite',
        };
    }

    /** Whether it is reached over a network, with an account; otherwise it is a file on this machine. */
    public function isServer(): bool
    {
        return $this !== self::Sqlite;
    }

    public function mayBeTarget(): bool
    {
        return $this === self::Postgres;
    }

    /** @return array<string, string> rules for what describes how it is reached */
    public function rules(): array
    {
        return $this->isServer()
            ? ['host' => 'required|string|max:253', 'port' => 'required|integer|between:1,65535', 'database' => 'required|string|max:63', 'user' => 'required|string|max:80', 'tls' => 'required|in:disable,prefer,require,verify-full']
            : ['path' => 'required|string|max:1000|starts_with:/'];
    }
}
