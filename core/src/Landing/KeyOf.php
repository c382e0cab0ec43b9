<?php

declare(strict_types=1);

namespace Lighterman\Core\Landing;

use LogicException;

/** Takes the key out of rows that are lists of values. */
final readonly class KeyOf
{
    /** @param  list<int>  $places of the key's columns in a row */
    public function __construct(public array $places)
    {
    }

    /**
     * @param  list<string>  $columns
     * @param  list<string>  $key
     */
    public static function columns(array $columns, array $key): self
    {
        $at = array_flip($columns);

        return new self(array_map(static fn (string $k): int => $at[$k], $key));
    }

    /**
     * @param  list<string|false|null>  $row
     * @return list<string>
     *
     * @throws LogicException if the row does not say its whole key
     */
    public function values(array $row): array
    {
        $values = [];
        foreach ($this->places as $at) {
            $value = $row[$at];
            if ($value === null || $value === false) {
                throw new LogicException('A change does not say the whole key of its row.');
            }
            $values[] = $value;
        }

        return $values;
    }

    /**
     * Whether a row says its whole key.
     *
     * @param  list<string|false|null>  $row
     */
    public function isSaid(array $row): bool
    {
        foreach ($this->places as $at) {
            if (! is_string($row[$at] ?? null)) {
                return false;
            }
        }

        return true;
    }

    /**
     * One string per key, different for different keys.
     *
     * @param  list<string|false|null>  $row
     */
    public function text(array $row): string
    {
        if (count($this->places) === 1) {
            $value = $row[$this->places[0]];

            return is_string($value) ? $value : throw new LogicException('A change does not say the whole key of its row.');
        }

        // Text of a database never holds a zero byte, so keys cannot run into each other.
        return implode("\0", $this->values($row));
    }
}
