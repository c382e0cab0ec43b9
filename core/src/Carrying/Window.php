<?php

declare(strict_types=1);

namespace Lighterman\Core\Carrying;

use Lighterman\Core\Landing\Change;
use Lighterman\Core\Landing\KeyOf;
use Lighterman\Core\Port\LoadChunk;
use Lighterman\Core\Position\Place;

/**
 * A chunk of a load on its way: rows as a snapshot saw them, waiting for its second mark to come through the log.
 * Whatever the log brings between the two marks is newer than the chunk and wins.
 */
final class Window
{
    /** @var array<array-key, list<string|null>> rows by the text of their key */
    public array $rows = [];

    /** Place of the first mark once it was seen. */
    public ?Place $opened = null;

    /** @var list<string>|null */
    public readonly ?array $lastKey;

    /** @var array<array-key, list<string>> keys that were asked for and that neither the chunk nor a change since has brought, by their text */
    private array $missing = [];

    /** @param  list<list<string>>|null  $asked  the keys that were asked for; null where a load goes on in key order */
    public function __construct(public readonly int $number, public readonly LoadChunk $chunk, private readonly KeyOf $key, public readonly ?array $asked = null)
    {
        foreach ($asked ?? [] as $values) {
            $this->missing[self::text($values)] = $values;
        }
        foreach ($chunk->rows as $row) {
            $this->rows[$key->text($row)] = $row;
            unset($this->missing[$key->text($row)]);
        }
        $this->lastKey = $chunk->rows === [] ? null : $key->values($chunk->rows[count($chunk->rows) - 1]);
    }

    /** @param  list<string>  $values */
    private static function text(array $values): string
    {
        return (new KeyOf(array_keys($values)))->text($values);
    }

    /** @return list<list<string>> keys whose rows are not at the source */
    public function missing(): array
    {
        return array_values($this->missing);
    }

    /** Takes the rows a change makes obsolete out of the chunk; what the change does not say is taken from them. */
    public function settle(Change $change): Change
    {
        $known = null;
        foreach ([$change->before, $change->after] as $row) {
            if ($row === null || ! $this->key->isSaid($row)) {
                continue;
            }
            $key = $this->key->text($row);
            $known ??= $this->rows[$key] ?? null;
            unset($this->rows[$key], $this->missing[$key]);
        }

        return $known === null || $change->after === null ? $change : new Change($change->kind, $change->before, Change::filled($change->after, $known), $change->number);
    }

    /**
     * Brings the chunk up to a change of a row that it holds, or would hold.
     *
     * @param  list<string|false|null>|null  $after  null where the row is gone from the chunk
     * @return bool false when not everything is known of the row, which the chunk then lacks
     */
    public function follow(?string $before, ?array $after): bool
    {
        $known = $before === null ? null : $this->rows[$before] ?? null;
        if ($before !== null) {
            unset($this->rows[$before]);
        }
        if ($after !== null) {
            $row = Change::filled($after, $known ?? $this->rows[$this->key->text($after)] ?? []);
            if (in_array(false, $row, true)) {
                unset($this->rows[$this->key->text($after)]);

                return false;
            }
            $this->rows[$this->key->text($row)] = $row;
        }

        return true;
    }
}
