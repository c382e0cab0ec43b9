<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Files;

use Generator;
use InvalidArgumentException;
use Lighterman\Core\Capture\FilePattern;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Format\CopyText;
use Lighterman\Core\Position\FileMark;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Trouble\FileTrouble;
use Lighterman\Core\Trouble\MissingTrouble;
use Lighterman\Core\Trouble\SystemTrouble;

/** Rows of a feed's files that can be read, of files that can be read, for whoever looks at some of them. */
final readonly class FileRows
{
    public function __construct(private FeedDefinition $definition, private Store $store, private FilesSettings $settings)
    {
    }

    /** @return list<FileMark> all files of the feed, the oldest first */
    public function files(): array
    {
        $files = iterator_to_array($this->store->files(self::pattern($this->definition->origin->table)), false);
        usort($files, static fn (FileMark $a, FileMark $b): int => [$a->modified, $a->path] <=> [$b->modified, $b->path]);

        return $files;
    }

    public function count(): int
    {
        $rows = 0;
        $opened = new Opened($this->definition, $this->store, $this->settings->engine(...));
        foreach ($this->files() as $file) {
            foreach ($opened->blocks($file->path) as $block) {
                $rows += substr_count($block->encoded, "\n");
            }
        }
        $opened->close();

        return $rows;
    }

    /**
     * @param  list<FileMark>  $files
     * @return list<list<string|null>>
     */
    public function first(array $files, int $most): array
    {
        $rows = [];
        foreach ($this->of($files) as $row) {
            $rows[] = $row;
            if (count($rows) === $most) {
                break;
            }
        }

        return $rows;
    }

    /**
     * @param  array<string, string>  $key
     * @return list<string|null>|null the last row with the key
     */
    public function keyed(array $key): ?array
    {
        $at = [];
        foreach ($key as $column => $value) {
            $place = array_search($column, $this->definition->carried()->names(), true);
            if ($place === false) {
                throw MissingTrouble::column($this->settings->system, $this->definition->origin->table, $column, 'the files have');
            }
            $at[(int) $place] = $value;
        }
        $found = null;
        foreach ($this->of() as $row) {
            foreach ($at as $place => $value) {
                if ($row[$place] !== $value) {
                    continue 2;
                }
            }
            $found = $row;
        }

        return $found;
    }

    /**
     * @param  list<FileMark>|null  $files  null for all
     * @return Generator<int, list<string|null>>
     */
    public function of(?array $files = null): Generator
    {
        $opened = new Opened($this->definition, $this->store, $this->settings->engine(...));
        try {
            foreach ($files ?? $this->files() as $file) {
                foreach ($opened->blocks($file->path) as $block) {
                    foreach ($block->encoded === '' ? [] : explode("\n", substr($block->encoded, 0, -1)) as $line) {
                        yield CopyText::row($line);
                    }
                }
            }
        } finally {
            $opened->close();
        }
    }

    /**
     * @param  list<list<string|null>>  $rows
     * @return list<array<string, string|null>>
     */
    public function named(array $rows): array
    {
        return array_map(fn (array $row): array => array_combine($this->definition->carried()->names(), $row), $rows);
    }

    /** @throws SystemTrouble */
    public static function pattern(TableName $table): FilePattern
    {
        try {
            return new FilePattern($table->name);
        } catch (InvalidArgumentException $e) {
            throw FileTrouble::pattern($table->name, $e->getMessage());
        }
    }
}
