<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Files;

use Generator;
use Lighterman\Core\Capture\BoundNote;
use Lighterman\Core\Capture\Capture;
use Lighterman\Core\Capture\FileChoice;
use Lighterman\Core\Capture\FileFacts;
use Lighterman\Core\Capture\FilePattern;
use Lighterman\Core\Capture\KeyFacts;
use Lighterman\Core\Capture\Origin;
use Lighterman\Core\Capture\PlannedFiles;
use Lighterman\Core\Capture\ReadPlan;
use Lighterman\Core\Capture\RowCount;
use Lighterman\Core\Capture\SourceTime;
use Lighterman\Core\Capture\TableFacts;
use Lighterman\Core\Capture\TableIdentity;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Format\FileFormat;
use Lighterman\Core\Guarantee\SourceCapabilities;
use Lighterman\Core\Landing\Destination;
use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Landing\Stamps;
use Lighterman\Core\Port\BatchReader;
use Lighterman\Core\Port\CatalogueEntry;
use Lighterman\Core\Port\Finding;
use Lighterman\Core\Port\PassesOver;
use Lighterman\Core\Port\Sampling;
use Lighterman\Core\Port\SourceSystem;
use Lighterman\Core\Port\TakenFiles;
use Lighterman\Core\Position\FileMark;
use Lighterman\Core\Position\Position;
use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Treatment\LookupTable;
use Lighterman\Core\Trouble\InvalidDefinition;
use Lighterman\Core\Trouble\SystemTrouble;

/** A folder that files are left in. What other sources call a table is a pattern of files here. */
final readonly class FilesSource implements PassesOver, SourceSystem
{
    /** Every pattern's name says that it is one. */
    public const SCHEMA = 'files';

    /** Patterns that the catalogue looks into; of more it tells their files only. */
    private const LOOKED = 200;

    /** Bytes of a file that are looked at for the catalogue. */
    private const GLANCE = 65_536;

    /** Rows that are looked at for a key. */
    private const ROWS = 10_000;

    private Store $store;

    private Look $look;

    public function __construct(private FilesSettings $settings)
    {
        $this->store = $settings->store();
        $this->look = new Look($this->store, $settings->engine(...));
    }

    public function check(): array
    {
        $formats = [];
        $others = 0;
        try {
            foreach ($this->store->files() as $file) {
                $format = FileFormat::of($file->path);
                $format === null ? $others++ : $formats[$format->word()] = ($formats[$format->word()] ?? 0) + 1;
            }
            $over = $this->store->passedOver(null);
        } catch (SystemTrouble $trouble) {
            return [Finding::failed('Folder', $trouble->getMessage(), (string) $trouble->remedy())];
        }
        $count = array_sum($formats);
        $words = implode(', ', array_map(static fn (string $f, int $n): string => "{$n} {$f}", array_keys($formats), $formats));

        return [
            Finding::passed('Folder', "{$this->settings->where()} can be read."),
            ...array_map(static fn (string $name, string $why): Finding => Finding::warned('Passed over', "{$name} is never read: {$why}.", 'Have it written as a file of its own, under a name of plain letters.'), array_slice(array_keys($over), 0, 3), array_slice($over, 0, 3)),
            $count > 0 ? Finding::passed('Files', "{$count} ".($count === 1 ? 'file' : 'files')." in formats that can be read: {$words}.".($others === 0 ? '' : " {$others} others.")) : Finding::warned('Files', 'There is no file in a format that can be read.', 'Check that this is the right folder.'),
        ];
    }

    public function capabilities(): SourceCapabilities
    {
        return new SourceCapabilities(true, [Capture::Files, Capture::Reload]);
    }

    public function catalogue(): array
    {
        $groups = [];
        foreach ($this->store->files() as $file) {
            if (FileFormat::of($file->path) !== null) {
                $pattern = FilePattern::like($file->path);
                $groups[$pattern] ??= ['files' => 0, 'bytes' => 0];
                $groups[$pattern]['files']++;
                $groups[$pattern]['bytes'] += $file->size;
            }
        }
        ksort($groups);
        $entries = [];
        foreach ($groups as $pattern => $group) {
            $shape = new Shape([]);
            $rows = null;
            $said = $group['files'] === 1 ? '1 file' : "{$group['files']} files";
            try {
                if (count($entries) < self::LOOKED) {
                    $facts = $this->look->at(new FilePattern((string) $pattern), sample: self::GLANCE);
                    $shape = $facts->shape;
                    $said .= ", {$facts->reading->format->word()}, newest {$facts->files->newest->path}";
                }
            } catch (SystemTrouble|InvalidDefinition $trouble) {
                $said .= "; {$trouble->getMessage()}";
            }
            $entries[] = new CatalogueEntry(new TableName(self::SCHEMA, (string) $pattern), $shape, $rows, $group['bytes'], [], $said);
        }

        return $entries;
    }

    /** @return list<CatalogueEntry> each file by itself, the latest first, at most 1,000 */
    public function each(): array
    {
        $files = [];
        foreach ($this->store->files() as $file) {
            if (FileFormat::of($file->path) !== null) {
                $files[] = $file;
            }
        }
        usort($files, static fn (FileMark $a, FileMark $b): int => [$b->modified, $a->path] <=> [$a->modified, $b->path]);

        return array_map(static fn (FileMark $f): CatalogueEntry => new CatalogueEntry(new TableName(self::SCHEMA, $f->path), new Shape([]), null, $f->size, [], FileFormat::of($f->path)?->word().", written {$f->modified}"), array_slice($files, 0, 1000));
    }

    public function shape(TableName $table): Shape
    {
        return $this->look->at(FileRows::pattern($table))->shape;
    }

    public function sample(TableName $table, int $rows): array
    {
        $facts = $this->look->at(FileRows::pattern($table));

        $read = $this->rows($this->as($table, $facts));

        return $read->named($read->first([$facts->files->newest], $rows));
    }

    public function identity(TableName $table): ?TableIdentity
    {
        return null;
    }

    public function some(FeedDefinition $definition, Sampling $which, int $rows): array
    {
        $read = $this->rows($definition);
        $files = $read->files();
        if ($which->way === 'first') {
            return $read->first($files, $rows);
        }
        if ($which->way === 'key') {
            $found = $read->keyed($which->key);

            return $found === null ? [] : [$found];
        }
        $seen = [];
        $n = 0;
        foreach (array_reverse($files) as $file) {
            foreach ($read->of([$file]) as $row) {
                $n++;
                // The last rows of the newest file, or any of those that are gone through.
                $at = $which->way === 'last' || $n <= $rows ? $n % $rows : random_int(0, $n - 1);
                if ($at < $rows) {
                    $seen[$at] = $row;
                }
                if ($n >= Sampling::AMONG && $which->way === 'random') {
                    break 2;
                }
            }
            if ($n >= $rows && $which->way === 'last') {
                break;
            }
        }
        $after = $n % $rows + 1;
        uksort($seen, static fn (int $a, int $b): int => ($a < $after) <=> ($b < $after) ?: $a <=> $b);

        return array_values($seen);
    }

    public function lookup(TableName $table, Column $match, Column $take): LookupTable
    {
        $definition = $this->as($table, $this->look->at(FileRows::pattern($table)));

        return new FilesLookup(fn (): Generator => $this->rows($definition)->of(), (int) array_search($match->name, $definition->carried()->names(), true), (int) array_search($take->name, $definition->carried()->names(), true), (string) $table);
    }

    public function facts(TableName $table, array $key = [], array $files = []): TableFacts
    {
        $facts = $this->look->at(FileRows::pattern($table), $files);
        $places = [];
        foreach ($key as $column) {
            $at = array_search($column, $facts->shape->names(), true);
            if ($at === false) {
                throw InvalidDefinition::at("{$table}: key", "the files have no column \"{$column}\"", 'Their columns are '.implode(', ', $facts->shape->names()).'.');
            }
            $places[$column] = (int) $at;
        }
        $lookedAt = 0;
        $seen = $nullable = [];
        $duplicate = null;
        foreach ($this->rows($this->as($table, $facts))->of([$facts->files->newest]) as $row) {
            if ($lookedAt++ === self::ROWS) {
                break;
            }
            $values = array_map(static fn (int $at): ?string => $row[$at], $places);
            $nullable += array_filter(array_map(static fn (?string $v): bool => $v === null, $values));
            $text = implode("\0", $values);
            $duplicate ??= $places !== [] && isset($seen[$text]) ? array_map(strval(...), $values) : null;
            $seen[$text] = true;
        }

        // Where a key comes again in a later file, the later row takes the earlier one's place; within a file it tells nothing apart.
        return new TableFacts($table, $facts->shape, new RowCount($lookedAt, false, $lookedAt), [], new KeyFacts($key, $duplicate, array_keys($nullable)), $facts);
    }

    public function count(FeedDefinition $definition): int
    {
        return $this->rows($definition)->count();
    }

    public function withoutWatermark(FeedDefinition $definition): int
    {
        return 0;
    }

    public function row(FeedDefinition $definition, array $key): ?array
    {
        $rows = $this->rows($definition);
        $row = $rows->keyed($key);

        return $row === null ? null : $rows->named([$row])[0];
    }

    public function plan(FeedDefinition $definition, Position $from, ?BoundNote $note, ?TakenFiles $taken = null): ReadPlan
    {
        $now = $taken?->now() ?? Store::now();
        $reading = $definition->origin->files ?? throw new \LogicException('A feed of files says how they are read.');
        if ($definition->kind()->readsWhole()) {
            return new ReadPlan('reload', $from, null, new SourceTime($now, $now), files: new PlannedFiles($this->rows($definition)->files()));
        }
        $found = iterator_to_array($this->store->files(FileRows::pattern($definition->origin->table)), false);
        $known = $taken?->known(array_map(static fn (FileMark $f): string => $f->path, $found)) ?? [];
        if ($reading->checksum) {
            // Only a file that seems to have changed is worth reading for its checksum.
            $found = array_map(fn (FileMark $f): FileMark => isset($known[$f->path]) && $known[$f->path]->checksum !== null && $known[$f->path]->size === $f->size && $known[$f->path]->modified !== $f->modified ? $f->withChecksum($this->store->checksum($f->path)) : $f, $found);
        }
        $until = FileChoice::until($now, $reading->quiet);
        $recent = array_values(array_filter($found, static fn (FileMark $f): bool => $f->modified > $until));
        // Who only looks at what would be read has nobody to remember it.
        $steady = $taken?->steadySince($recent, $now) ?? array_fill_keys(array_map(static fn (FileMark $f): string => $f->path, array_filter($recent, static fn (FileMark $f): bool => $f->modified > $now)), '');
        $choice = FileChoice::of($found, $known, $taken?->asked() ?? [], $reading->changed, $reading->quiet, $now, $steady);
        $refused = array_fill_keys(array_map(static fn (FileMark $f): string => $f->path, $choice->changed), 'it has changed since it was taken');
        $files = [...$choice->changed, ...$choice->take];

        return new ReadPlan('files', $from, null, new SourceTime($choice->completeUpTo, $now), empty: $files === [], files: new PlannedFiles($files, $refused, $choice->growing));
    }

    public function passedOver(TableName $table): array
    {
        return $this->store->passedOver(FileRows::pattern($table));
    }

    public function reader(FeedDefinition $definition, ReadPlan $plan): BatchReader
    {
        return new FilesReader($definition, $plan, $this->store, new Opened($definition, $this->store, $this->settings->engine(...)));
    }

    /** What would carry the files as they were found to be. */
    private function as(TableName $table, FileFacts $facts): FeedDefinition
    {
        return new FeedDefinition('sample', new Origin($table, $facts->shape, Capture::Files, [], files: $facts->reading), new Destination(new TableName(self::SCHEMA, 'sample'), Landing::Append, stamps: new Stamps(null, null)));
    }

    private function rows(FeedDefinition $definition): FileRows
    {
        return new FileRows($definition, $this->store, $this->settings);
    }
}
