<?php

declare(strict_types=1);

namespace App\Runtime\Log;

use Lighterman\Core\Landing\Change;
use Lighterman\Core\Landing\KeyOf;
use Lighterman\Core\Port\LoadChunk;

/**
 * A chunk of a first load on its way: rows as a snapshot saw them, waiting for its second mark to come through the log.
 * Whatever the log brings between the two marks is newer than the chunk and wins.
 */
final class Window
{
    /** @var array<array-key, list<string|null>> rows by the text of their key */
    public array $rows = [];

    /** Place of the first mark once it was seen; 0 before. */
    public int $opened = 0;

    /** @var list<string>|null */
    public readonly ?array $lastKey;

    public function __construct(public readonly int $number, public readonly LoadChunk $chunk, private readonly KeyOf $key)
    {
        foreach ($chunk->rows as $row) {
            $this->rows[$key->text($row)] = $row;
        }
        $this->lastKey = $chunk->rows === [] ? null : $key->values($chunk->rows[count($chunk->rows) - 1]);
    }

    /** Takes the rows a change makes obsolete out of the chunk; what the change does not say is taken from them. */
    public function settle(Change $change): Change
    {
        $known = null;
        foreach ([$change->before, $change->after] as $row) {
            if ($row === null || array_filter($this->key->places, static fn (int $at): bool => ! is_string($row[$at])) !== []) {
                continue;
            }
            $key = $this->key->text($row);
            $known ??= $this->rows[$key] ?? null;
            unset($this->rows[$key]);
        }
        if ($known === null || $change->after === null || ! in_array(false, $change->after, true)) {
            return $change;
        }

        return new Change($change->kind, $change->before, array_map(static fn (string|false|null $v, ?string $k): ?string => $v === false ? $k : $v, $change->after, $known), $change->number);
    }
}
