<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Sqlite;

use Lighterman\Connectors\Pdo\PdoConnection;
use Lighterman\Core\Trouble\ConnectionTrouble;
use Lighterman\Core\Trouble\MissingTrouble;
use Lighterman\Core\Trouble\PrivilegeTrouble;
use Lighterman\Core\Trouble\StatementTrouble;
use Lighterman\Core\Trouble\SystemTrouble;
use PDO;
use PDOException;

/** Where an SQLite database lies on this machine. */
final readonly class SqliteSettings
{
    private const BUSY_SECONDS = 5;

    public function __construct(public string $system, public string $path)
    {
    }

    public function session(): PdoConnection
    {
        return new PdoConnection(fn (): PDO => $this->connect(), fn (PDOException $e): SystemTrouble => $this->trouble($e), $this->file(...));
    }

    /**
     * What tells the file from another one. Who has it open goes on reading it when another takes its place.
     *
     * @param  string|null  $was  null where it may be any
     *
     * @throws SystemTrouble if it is not that one any more
     */
    public function file(?string $was = null): string
    {
        clearstatcache(true, $this->path);
        $stat = @stat($this->path);
        $is = $stat === false ? '' : "{$stat['dev']}/{$stat['ino']}";

        return $was === null || $was === $is ? $is : throw ConnectionTrouble::lost($this->system, $this->path, ' Somebody has put another file in its place.');
    }

    private function connect(): PDO
    {
        $this->look();
        $pdo = new PDO("sqlite:{$this->path}", null, null, [PDO::ATTR_ERRMODE => PDO::ERRMODE_EXCEPTION, PDO::ATTR_TIMEOUT => self::BUSY_SECONDS, PDO::ATTR_STRINGIFY_FETCHES => true]);
        $pdo->exec('PRAGMA trusted_schema = OFF');
        // Says whether it is a database.
        $pdo->query('PRAGMA schema_version');

        return $pdo;
    }

    /**
     * A file that is not there would be made. What is in it is read by SQLite alone: closing a file that was opened past it
     * drops every lock that this process has on it, and others then take away the log written ahead that we read from.
     *
     * @see https://www.sqlite.org/howtocorrupt.html#_posix_advisory_locks_canceled_by_a_separate_thread_doing_close_
     */
    private function look(): void
    {
        if (! str_starts_with($this->path, '/')) {
            throw MissingTrouble::file($this->path, "{$this->system}: {$this->path} is not a whole path.", 'Give the path from the root, beginning with /.', $this->system);
        }
        if (! is_file($this->path)) {
            throw MissingTrouble::file($this->path, "{$this->system}: there is no file {$this->path} on this machine.", 'Check the path; the worker and the pages must run where the file lies.', $this->system, mayPass: true);
        }
        if (! is_readable($this->path)) {
            throw PrivilegeTrouble::toRead($this->path, $this->system);
        }
    }

    public function writable(): bool
    {
        // The journal is made beside the file.
        return is_writable($this->path) && is_writable(dirname($this->path));
    }

    /** @see https://www.sqlite.org/rescode.html */
    private function trouble(PDOException $e): SystemTrouble
    {
        $code = (int) ($e->errorInfo[1] ?? 0) & 0xFF;
        $said = "{$this->system}: ".($e->errorInfo[2] ?? $e->getMessage());

        return match (true) {
            in_array($code, [5, 6, 19], true) => StatementTrouble::busy($this->system, "{$said}: somebody else has been writing to it for ".self::BUSY_SECONDS.' s', 'Lighterman tries again. If it stays so, have the long transaction ended.'),
            $code === 8 => PrivilegeTrouble::inFolder($this->system, "{$said}.", "{$this->path} and its folder", 'write'),
            $code === 13 => StatementTrouble::diskFull($this->system, $said, $this->path),
            $code === 10 => StatementTrouble::busy($this->system, $said, 'The disk reported an error. Lighterman tries again.'),
            $code === 26 => ConnectionTrouble::unfitFile($this->system, "{$this->system}: {$this->path} is not an SQLite database.", 'Check the path. An encrypted database cannot be read.', $this->path),
            $code === 11 => ConnectionTrouble::unfitFile($this->system, "{$said}.", 'The file is damaged. Check it with PRAGMA integrity_check.', $this->path),
            str_contains($said, 'no such table') => MissingTrouble::tableSaid($this->system, $said),
            str_contains($said, 'no such column') => MissingTrouble::columnSaid($this->system, $said),
            default => StatementTrouble::refused($this->system, $said),
        };
    }
}
