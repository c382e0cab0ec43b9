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
    case LakeStore = 'lake-store';
    case Files = 'files';
    case FilesStore = 'files-store';

    public function word(): string
    {
        return match ($this) {
            self::Postgres => 'PostgreSQL',
            self::MariaDb => 'MariaDB',
            self::Sqlite => 'SQLite',
            self::Lake => 'Lake folder',
            self::LakeStore => 'Lake in an object store',
            self::Files => 'Files in a folder',
            self::FilesStore => 'Files in an object store',
        };
    }

    /** Whether it is reached over a network, with an account; otherwise it is a file or folder on this machine. */
    public function isServer(): bool
    {
        return $this === self::Postgres || $this === self::MariaDb;
    }

    /** Whether it is a bucket of a store that is reached over a network, with a key. */
    public function isStore(): bool
    {
        return $this === self::LakeStore || $this === self::FilesStore;
    }

    public function hasSecret(): bool
    {
        return $this->isServer() || $this->isStore();
    }

    /** @return list<string> settings that say to whom the secret is sent, and how well it is guarded on the way */
    public function secretGoesBy(): array
    {
        return match (true) {
            $this->isServer() => ['host', 'port', 'user', 'tls'],
            $this->isStore() => ['endpoint', 'bucket', 'addressing', 'user'],
            default => [],
        };
    }

    public function mayBeTarget(): bool
    {
        return $this === self::Postgres || $this->keepsFiles();
    }

    public function mayBeSource(): bool
    {
        return ! $this->keepsFiles();
    }

    /** Whether what is read there are files. */
    public function bringsFiles(): bool
    {
        return $this === self::Files || $this === self::FilesStore;
    }

    /** Whether what lands there are files. */
    public function keepsFiles(): bool
    {
        return $this === self::Lake || $this === self::LakeStore;
    }

    /** @return array<string, string|list<string>> rules for what describes how it is reached */
    public function rules(): array
    {
        if ($this->isStore()) {
            return ['endpoint' => ['required', 'string', 'max:300', 'regex:/^https?:\/\/[^\s\/]+\/?$/'], 'region' => 'required|string|max:60', 'bucket' => ['required', 'string', 'max:255', 'regex:/^[A-Za-z0-9._-]+$/'], 'prefix' => ['nullable', 'string', 'max:500', 'regex:/^[^\/\s][^\s]*$/'], 'user' => 'required|string|max:200', 'addressing' => 'required|in:path,host'];
        }

        return $this->isServer()
            ? ['host' => 'required|string|max:253', 'port' => 'required|integer|between:1,65535', 'database' => 'required|string|max:63', 'user' => 'required|string|max:80', 'tls' => 'required|in:disable,prefer,require,verify-full']
            : ['path' => 'required|string|max:1000|starts_with:/'];
    }
}
