<?php

declare(strict_types=1);

namespace App\Support;

/** The kinds of system there are connectors for. */
enum SystemKind: string
{
    case Postgres = 'postgres';
    case MariaDb = 'mariadb';
    case Sqlite = 'sqlite';
    case Lake = 'lake';
    case Files = 'files';

    public function word(): string
    {
        return match ($this) {
            self::Postgres => 'PostgreSQL',
            self::MariaDb => 'MariaDB',
            self::Sqlite => 'SQLite',
            self::Lake => 'Lake folder',
            self::Files => 'Files in a folder',
        };
    }

    /** Whether it is reached over a network, with an account; otherwise it is a file or folder on this machine. */
    public function isServer(): bool
    {
        return $this === self::Postgres || $this === self::MariaDb;
    }

    public function mayBeTarget(): bool
    {
        return $this === self::Postgres || $this === self::Lake;
    }

    public function mayBeSource(): bool
    {
        return $this !== self::Lake;
    }

    /** Whether what lands there are files. */
    public function keepsFiles(): bool
    {
        return $this === self::Lake;
    }

    /** @return array<string, string> rules for what describes how it is reached */
    public function rules(): array
    {
        return $this->isServer()
            ? ['host' => 'required|string|max:253', 'port' => 'required|integer|between:1,65535', 'database' => 'required|string|max:63', 'user' => 'required|string|max:80', 'tls' => 'required|in:disable,prefer,require,verify-full']
            : ['path' => 'required|string|max:1000|starts_with:/'];
    }
}
