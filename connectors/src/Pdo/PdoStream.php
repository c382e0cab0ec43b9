<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Pdo;

use Lighterman\Connectors\Reading\RowStream;
use Lighterman\Core\Format\CopyText;
use PDOStatement;

/** The rows of one query, encoded as they come. */
final class PdoStream implements RowStream
{
    private const ROWS = 500;

    private ?PDOStatement $statement;

    public function __construct(private readonly PdoConnection $connection, string $select)
    {
        $this->statement = $connection->open($select);
    }

    public function read(): string
    {
        $lines = '';
        for ($rows = 0; $this->statement !== null && $rows < self::ROWS; $rows++) {
            $row = $this->connection->next($this->statement);
            if ($row === null) {
                $this->finish();
                break;
            }
            $lines .= CopyText::line($row);
        }

        return $lines;
    }

    public function finish(): void
    {
        $this->statement?->closeCursor();
        $this->statement = null;
    }

    public function close(): void
    {
        $this->statement = null;
        // What was not read is not waited for.
        $this->connection->close();
    }
}
