<?php

declare(strict_types=1);

namespace Lighterman\Core\Capture;

/**
 * What a source's catalogue calls a table and what records its changes. Kept when a load begins, and compared with what
 * the catalogue says later, it tells of things that changed rows without a change being recorded, also where everything
 * looks as before.
 */
final readonly class TableIdentity
{
    /**
     * @param  string  $table  another one when the table was dropped and made again
     * @param  string  $storage  another one when its rows were written anew
     * @param  array<array-key, array{string, string}>  $columns  by name: what tells it from another column of that name, and what changes whenever it is altered
     * @param  array<string, array{string, bool}>  $parts  partitions by what tells them from others: their storage, and whether they came with rows of their own
     * @param  array<string, string>  $recording  what records the changes, by what it is called in a sentence: changes whenever it is altered
     */
    public function __construct(public string $table, public string $storage, public array $columns, public array $parts = [], public array $recording = [])
    {
    }

    /**
     * What has happened since that may have changed rows unseen.
     *
     * @param  list<string>  $carried  the columns that matter
     * @return string|null a clause; null when nothing has
     */
    public function since(self $earlier, array $carried): ?string
    {
        if ($this->table !== $earlier->table) {
            return 'the table was dropped and made again';
        }
        $altered = false;
        foreach ($carried as $column) {
            [$was, $is] = [$earlier->columns[$column] ?? null, $this->columns[$column] ?? null];
            if ($was !== null && $is !== null && $was[0] !== $is[0]) {
                return "column {$column} was dropped and added again";
            }
            $altered = $altered || ($was !== null && $is !== null && $was[1] !== $is[1]);
        }
        if ($altered && $this->storage !== $earlier->storage) {
            return 'a column was altered in a way that wrote its values anew';
        }
        foreach ($this->recording as $what => $state) {
            if (isset($earlier->recording[$what]) && $earlier->recording[$what] !== $state) {
                return "{$what} was altered";
            }
        }

        return $this->partsSince($earlier);
    }

    /** The same without what was done to more than the table alone. */
    public function unrecorded(): self
    {
        return new self($this->table, $this->storage, $this->columns, $this->parts);
    }

    private function partsSince(self $earlier): ?string
    {
        if (array_diff_key($earlier->parts, $this->parts) !== []) {
            return 'a partition was detached or dropped';
        }
        foreach ($this->parts as $part => [$storage, $filled]) {
            $was = $earlier->parts[$part] ?? null;
            if ($was === null && $filled) {
                return 'a partition was attached';
            }
            if ($was !== null && $was[0] !== $storage) {
                return 'a partition was emptied or written anew';
            }
        }

        return null;
    }

    /** @return array<string, mixed> */
    public function toArray(): array
    {
        return get_object_vars($this);
    }

    /** @param  array<string, mixed>  $data */
    public static function fromArray(array $data): self
    {
        return new self($data['table'], $data['storage'], $data['columns'], $data['parts'] ?? [], $data['recording'] ?? []);
    }
}
