<?php

declare(strict_types=1);

namespace Lighterman\Core\Landing;

/**
 * Tells rows apart that stand at one key within a transaction.
 *
 * Where the source checks a key only at the commit (a deferrable constraint), a row may come to a key that another has yet
 * to leave: `UPDATE t SET id = id + 1`. What leaves the key afterwards is then not the row that came, and the row that came
 * must stay. Which of them a change is about shows in the row before, which the source tells whole for such tables; so
 * changes are rewritten into ones that are right with one row a key. Where that does not tell what is left at a key, the key
 * is to be read again.
 */
final class SharedKeys
{
    /** Rows that came to a key and are remembered within one transaction. */
    private const MOST = 100_000;

    private ?string $transaction = null;

    /** @var array<array-key, list<string>> by key: hashes of the rows that came to it in this transaction and stand there still */
    private array $came = [];

    private int $remembered = 0;

    /** @var list<list<string>>|null */
    private ?array $unknown = [];

    public function __construct(private readonly KeyOf $key)
    {
    }

    /** @return Change|null what is to be landed instead; null where nothing is */
    public function told(Change $change, SourceCommit $commit): ?Change
    {
        if ($commit->place->text() !== $this->transaction) {
            $this->transaction = $commit->place->text();
            $this->came = [];
            $this->remembered = 0;
        }
        $before = $change->before;
        if ($before === null || in_array(false, $before, true)) {
            $change->after === null ?: $this->arrive($change->after);

            return $change;
        }
        $after = $change->after === null ? null : Change::filled($change->after, $before);
        $old = $this->key->text($before);
        $stood = $this->came[$old] ?? [];
        $which = array_search(self::hash($before), $stood, true);
        if ($which !== false) {
            array_splice($this->came[$old], $which, 1);
        }
        $leaves = $after === null || $this->key->text($after) !== $old;
        if ($after !== null && ($leaves || $stood !== [])) {
            $this->arrive($after);
        }
        $whole = new Change($change->kind, $before, $after, $change->number);
        if ($stood === []) {
            return $whole;
        }
        if ($which !== false && $leaves) {
            // Another row may have stood there all the time, or others have come.
            $this->forget($before);
        }

        return match (true) {
            count($stood) === 1 && $which !== false => $whole,
            ! $leaves, $after === null => null,
            default => new Change('update', null, $after, $change->number),
        };
    }

    /**
     * Keys of which it is not known what stands there, since the last call.
     *
     * @return list<list<string>>|null null where they are too many to tell
     */
    public function unknown(): ?array
    {
        [$unknown, $this->unknown] = [$this->unknown, []];

        return $unknown;
    }

    /** @param  list<string|false|null>  $row */
    private function forget(array $row): void
    {
        if ($this->unknown !== null) {
            $this->unknown[] = $this->key->values($row);
        }
    }

    /** @param  list<string|false|null>  $row */
    private function arrive(array $row): void
    {
        if (++$this->remembered > self::MOST) {
            $this->unknown = null;
        } else {
            $this->came[$this->key->text($row)][] = self::hash($row);
        }
    }

    /** @param  list<string|false|null>  $row */
    private static function hash(array $row): string
    {
        return hash('xxh128', serialize($row), true);
    }
}
