<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Lake;

use Lighterman\Connectors\Files\FilesSettings;
use Lighterman\Connectors\Files\Look;
use Lighterman\Connectors\Scratch;
use Lighterman\Core\Capture\FilePattern;
use Lighterman\Core\Format\FileFormat;
use Lighterman\Core\Landing\FileWriting;
use Lighterman\Core\Port\BrokenFile;
use Lighterman\Core\Position\FileMark;
use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Shape\Type;
use Lighterman\Core\Shape\TypeKind;
use Lighterman\Core\Trouble\SystemTrouble;

/** Looks through a lake for tables that no feed has landed: files that somebody else has left there. */
final class Scan
{
    /** Files that are looked into; a lake with more of others' is better taken in by a feed. */
    private const MOST = 5000;

    private const GLANCE = 262_144;

    /** Tables whose folders do not name a schema. */
    private const SCHEMA = 'found';

    /** @var array<string, string> what could not be read, by file */
    public array $unreadable = [];

    public function __construct(private readonly LakeSettings $settings)
    {
    }

    /**
     * @param  list<Page>  $pages  of the feeds that land here
     * @return array<string, LandedFiles> by name
     *
     * @throws SystemTrouble
     */
    public function tables(array $pages): array
    {
        $own = $names = [];
        foreach ($pages as $page) {
            $own += $page->kept();
            foreach ($page->tables as $name => $table) {
                $names[$name] = true;
                $own += array_fill_keys($table->fixedNames(), true);
            }
        }
        $files = new FilesSettings($this->settings->system, $this->settings->place, $this->settings->memory, $this->settings->threads, $this->settings->temporary);
        $look = new Look($files->store(), $files->engine(...));
        $groups = [];
        $seen = 0;
        foreach ($files->store()->files() as $file) {
            if (! isset($own[$file->path]) && FileFormat::of($file->path) !== null && $seen++ < self::MOST) {
                $name = self::nameOf($file->path);
                $groups[isset($names[$name]) ? "{$name}_found" : $name][] = $file;
            }
        }
        $tables = [];
        foreach ($groups as $name => $group) {
            $table = $this->table($group, $look);
            if ($table !== null) {
                $tables[(string) $name] = $table;
            }
        }

        return $tables;
    }

    /** The table that a file belongs to, by the folders it lies in. */
    private static function nameOf(string $path): string
    {
        $folders = array_values(array_filter(array_slice(explode('/', $path), 0, -1), static fn (string $f): bool => ! str_contains($f, '=')));

        return match (count($folders)) {
            0 => self::SCHEMA.'.'.(new FilePattern(FilePattern::like(basename($path))))->tableName(),
            1 => self::SCHEMA.".{$folders[0]}",
            default => array_shift($folders).'.'.implode('_', $folders),
        };
    }

    /** @param  non-empty-list<FileMark>  $files */
    private function table(array $files, Look $look): ?LandedFiles
    {
        usort($files, static fn (FileMark $a, FileMark $b): int => $a->path <=> $b->path);
        $eras = $found = [];
        foreach ($files as $file) {
            try {
                $era = $this->era($look, $file);
            } catch (BrokenFile $e) {
                $this->unreadable[$file->path] = $e->fault;

                continue;
            }
            $at = array_search(true, array_map(static fn (Era $e): bool => $e->isLike($era), $eras), true);
            $eras[] = $era;
            $at = $at === false ? count($eras) - 1 : $at;
            $found[] = new DataFile($file->path, 0, $file->size, DataFile::partitionOf($file->path), 0, (int) $at);
        }
        if ($eras === []) {
            return null;
        }
        $found = $this->counted(new LandedFiles([], $found, [...$eras, self::now($eras)]));
        if ($found === []) {
            return null;
        }
        $used = array_intersect_key($eras, array_flip(array_map(static fn (DataFile $f): int => $f->era, $found)));

        return new LandedFiles(array_map(strval(...), array_keys($found[0]->partition)), $found, [...$eras, self::now(array_values($used))]);
    }

    /** @param  list<Era>  $eras */
    private static function now(array $eras): Era
    {
        return new Era(gmdate('Y-m-d\TH:i:s\Z'), self::merged($eras), new FileWriting);
    }

    private function era(Look $look, FileMark $file): Era
    {
        [, $dialect, $columns] = $look->file($file, [], self::GLANCE);
        $columns = array_map(static fn (array $c): Column => new Column($c['name'], $c['format'] === null ? $c['type'] : Type::of(TypeKind::Text)), $columns);

        return new Era('', new Shape($columns), new FileWriting, $dialect);
    }

    /**
     * All columns of some shapes, each of a type that holds it in all of them.
     *
     * @param  list<Era>  $eras
     */
    private static function merged(array $eras): Shape
    {
        $types = [];
        foreach ($eras as $era) {
            foreach ($era->shape->columns as $column) {
                $was = $types[$column->name] ?? $column->type;
                $types[$column->name] = $was->holds($column->type) ? $was : ($column->type->holds($was) ? $column->type : Type::of(TypeKind::Text));
            }
        }

        return new Shape(array_map(static fn (string $n, Type $t): Column => new Column($n, $t), array_map(strval(...), array_keys($types)), $types));
    }

    /** @return list<DataFile> with the rows of each; those that cannot be read through are left out */
    private function counted(LandedFiles $table): array
    {
        $work = Scratch::own($this->settings->temporary, 'scan');
        $engine = $this->settings->engine(further: [$work]);
        $contents = new Contents($this->settings->folder(), $engine, $work);
        $files = [];
        try {
            foreach ($table->files as $file) {
                try {
                    $files[] = new DataFile($file->name, $contents->count($table, $file), $file->bytes, $file->partition, 0, $file->era);
                } catch (BrokenFile $e) {
                    $this->unreadable[$file->name] = $e->fault;
                }
            }
        } finally {
            $engine->close();
            Scratch::remove($work);
        }

        return $files;
    }
}
