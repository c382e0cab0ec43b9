<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Pdo;

use Lighterman\Core\Trouble\Reason;
use Lighterman\Core\Trouble\SystemTrouble;
use PDO;
use PDOException;
use PDOStatement;

/** One session with a database that PHP reaches through PDO. Failures become SystemTrouble. */
final class PdoConnection
{
    private ?PDO $handle = null;

    /** @var callable(): PDO */
    private $connect;

    /** @var callable(PDOException): SystemTrouble */
    private $trouble;

    /** @var (callable(string|null): string)|null */
    private $place;

    /** What was at the place when the session began. */
    private string $at = '';

    /**
     * @param  callable(): PDO  $connect
     * @param  callable(PDOException): SystemTrouble  $trouble  puts a driver's error into words, without the values of rows
     * @param  (callable(string|null): string)|null  $place  tells what is at the place now, and refuses where it is not what it was (null without a session), which a session would not notice
     */
    public function __construct(callable $connect, callable $trouble, ?callable $place = null)
    {
        $this->connect = $connect;
        $this->trouble = $trouble;
        $this->place = $place;
    }

    /**
     * @param  list<string|int|null>  $parameters
     * @return list<array<string, string|null>>
     *
     * @throws SystemTrouble
     */
    public function rows(string $sql, array $parameters = []): array
    {
        return $this->guarded(static function (PDO $handle) use ($sql, $parameters): array {
            $statement = $handle->prepare($sql);
            $statement->execute($parameters);
            $rows = $statement->fetchAll(PDO::FETCH_ASSOC);

            return array_values(array_map(static fn (array $row): array => array_map(self::text(...), $row), $rows));
        });
    }

    /**
     * @param  list<string|int|null>  $parameters
     * @return array<string, string|null>|null
     */
    public function row(string $sql, array $parameters = []): ?array
    {
        return $this->rows($sql, $parameters)[0] ?? null;
    }

    /** @param  list<string|int|null>  $parameters */
    public function value(string $sql, array $parameters = []): ?string
    {
        $row = $this->row($sql, $parameters);

        return $row === null ? null : array_values($row)[0];
    }

    public function run(string $sql): void
    {
        $this->guarded(static fn (PDO $handle): int|false => $handle->exec($sql));
    }

    /** Rows one after the other; the session says nothing else until it is closed. */
    public function open(string $sql): PDOStatement
    {
        return $this->guarded(static function (PDO $handle) use ($sql): PDOStatement {
            $statement = $handle->prepare($sql);
            $statement->execute();

            return $statement;
        });
    }

    /** @return list<string|null>|null null after the last row */
    public function next(PDOStatement $statement): ?array
    {
        $row = $this->guarded(static fn (): mixed => $statement->fetch(PDO::FETCH_NUM));

        return is_array($row) ? array_values(array_map(self::text(...), $row)) : null;
    }

    private static function text(mixed $value): ?string
    {
        return $value === null ? null : (is_scalar($value) ? (string) $value : throw new \LogicException('A column is neither text nor number.'));
    }

    public function quoted(string $value): string
    {
        return $this->guarded(static fn (PDO $handle): string => (string) $handle->quote($value));
    }

    /**
     * @template T
     *
     * @param  callable(): T  $do
     * @return T
     */
    public function inTransaction(string $begin, callable $do): mixed
    {
        $this->run($begin);
        $done = false;
        try {
            $result = $do();
            $this->run('COMMIT');
            $done = true;

            return $result;
        } finally {
            if (! $done) {
                $this->rollback();
            }
        }
    }

    /** Says nothing if the session is gone already. */
    public function rollback(): void
    {
        try {
            $this->handle?->exec('ROLLBACK');
        } catch (PDOException) {
            $this->handle = null;
        }
    }

    public function close(): void
    {
        $this->handle = null;
    }

    private function handle(): PDO
    {
        try {
            $this->at = $this->place === null ? '' : ($this->place)($this->handle === null ? null : $this->at);
        } catch (SystemTrouble $trouble) {
            $this->handle = null;
            throw $trouble;
        }

        return $this->handle ??= ($this->connect)();
    }

    /**
     * @template T
     *
     * @param  callable(PDO): T  $do
     * @return T
     *
     * @throws SystemTrouble
     */
    private function guarded(callable $do): mixed
    {
        try {
            return $do($this->handle());
        } catch (PDOException $e) {
            $trouble = ($this->trouble)($e);
            if (in_array($trouble->reason, [Reason::ConnectionLost, Reason::NoConnection, Reason::ClosedPort], true)) {
                $this->handle = null;
            }
            throw $trouble;
        }
    }
}
