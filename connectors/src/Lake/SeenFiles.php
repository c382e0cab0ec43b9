<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Lake;

use Lighterman\Core\Format\CopyText;

/**
 * The keys that a load of a whole table, and the changes beside it, have brought so far: what stands in the landed table and
 * is not among them when the load ends was deleted at the source while nobody looked.
 *
 * They lie in files of the lake, written before the page that counts the rows, since a load may outlive the process. A key that
 * is there for rows that never counted does no harm: the load comes by it again.
 */
final class SeenFiles
{
    private const BEGUN = 'begun';

    /** Lines of keys that have no file yet. */
    private string $pending = '';

    private function __construct(private readonly Folder $folder, private readonly string $in)
    {
    }

    public static function begin(Folder $folder, string $feed): self
    {
        $seen = new self($folder, self::place($feed));
        $seen->drop();
        $folder->create("{$seen->in}/".self::BEGUN, '');

        return $seen;
    }

    public static function underWay(Folder $folder, string $feed): ?self
    {
        return in_array(self::BEGUN, $folder->entries(self::place($feed)), true) ? new self($folder, self::place($feed)) : null;
    }

    private static function place(string $feed): string
    {
        return Ledger::FOLDER."/seen/{$feed}";
    }

    /** @param  iterable<list<string>>  $keys */
    public function add(iterable $keys): void
    {
        foreach ($keys as $key) {
            $this->pending .= CopyText::line($key);
        }
    }

    /** Has what was seen last outlive the process. */
    public function flush(): void
    {
        if ($this->pending !== '') {
            $this->folder->create("{$this->in}/".bin2hex(random_bytes(8)), $this->pending);
            $this->pending = '';
        }
    }

    /** @return \Generator<int, string> lines of keys */
    public function lines(): \Generator
    {
        foreach ($this->folder->files($this->in) as $name) {
            yield (string) $this->folder->read($name);
        }
        yield $this->pending;
    }

    public function forgetPending(): void
    {
        $this->pending = '';
    }

    public function drop(): void
    {
        $this->pending = '';
        // The mark goes first: without it the rest means nothing.
        array_map($this->folder->delete(...), ["{$this->in}/".self::BEGUN, ...$this->folder->files($this->in)]);
    }
}
