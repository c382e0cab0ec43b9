<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Lake;

use Lighterman\Connectors\Engine\TypeMap;
use Lighterman\Core\Landing\FileWriting;
use Lighterman\Core\Landing\LandedTable;
use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\Shape;

/** The files that a landed table consists of. */
final readonly class LandedFiles
{
    /**
     * @param  list<string>  $partitionBy
     * @param  list<DataFile>  $files
     * @param  non-empty-list<Era>  $eras  how files were written over time; the last holds now
     */
    public function __construct(public array $partitionBy, public array $files, public array $eras)
    {
    }

    public static function of(LandedTable $landed): self
    {
        return new self(array_map(strval(...), $landed->as->partitionBy), [], [new Era(gmdate('Y-m-d\TH:i:s\Z'), self::shapeOf($landed), $landed->as->writing)]);
    }

    private static function shapeOf(LandedTable $landed): Shape
    {
        return new Shape(array_map(static fn (Column $c): Column => new Column($c->name, $c->type, $c->nullable, $c->comment), $landed->columns()), $landed->rowKey());
    }

    /** Every column the table has now, those of the landing too. */
    public function shape(): Shape
    {
        return $this->now()->shape;
    }

    public function now(): Era
    {
        return $this->eras[count($this->eras) - 1];
    }

    public function era(DataFile $file): Era
    {
        return $this->eras[$file->era] ?? $this->eras[0];
    }

    /** The same files, to be written from now on as another table is. */
    public function becoming(self $next): self
    {
        return new self($next->partitionBy, $this->files, $this->now()->isLike($next->now()) ? $this->eras : [...$this->eras, $next->now()]);
    }

    /** @param  list<DataFile>  $files */
    public function with(array $files): self
    {
        return new self($this->partitionBy, $files, $this->eras);
    }

    /** @return array<string, true> of its files */
    public function names(): array
    {
        return array_fill_keys(array_map(static fn (DataFile $f): string => $f->name, $this->files), true);
    }

    /** @return list<string> fixed names that its files have, or had in an earlier era */
    public function fixedNames(): array
    {
        $names = [];
        foreach ($this->eras as $era) {
            foreach ($era->writing->fixedName === null ? [] : $this->files as $file) {
                $names[dirname($file->name)."/{$era->writing->fixedName}.{$era->writing->ending()}"] = true;
            }
        }

        return array_keys($names);
    }

    /**
     * Files of which several lie in one partition.
     *
     * @param  int  $under  bytes that each of them has less than
     * @param  int  $many  that there must be in a partition
     * @return list<non-empty-list<DataFile>> by partition
     */
    public function small(int $under, int $many): array
    {
        $small = [];
        foreach ($this->files as $file) {
            if ($file->bytes < $under) {
                $small[dirname($file->name)][] = $file;
            }
        }

        return array_values(array_filter($small, static fn (array $files): bool => count($files) >= $many));
    }

    public function rows(): int
    {
        return array_sum(array_map(static fn (DataFile $f): int => $f->rows, $this->files));
    }

    public function bytes(): int
    {
        return array_sum(array_map(static fn (DataFile $f): int => $f->bytes, $this->files));
    }

    /** @return array<string, mixed> */
    public function toArray(): array
    {
        return ['partition_by' => $this->partitionBy, 'eras' => array_map(static fn (Era $e): array => $e->toArray(), $this->eras), 'files' => array_map(static fn (DataFile $f): array => $f->toArray(), $this->files)];
    }

    /** @param  array{partition_by: list<string>, files: array<int, array<string, mixed>>, eras?: array<int, array<string, mixed>>, shape?: array<string, mixed>}  $data */
    public static function fromArray(array $data): self
    {
        // Pages of an earlier release know one shape, and only Parquet.
        $eras = isset($data['eras']) && $data['eras'] !== [] ? array_map(Era::fromArray(...), array_values($data['eras'])) : [new Era('', Shape::fromArray($data['shape'] ?? []), new FileWriting)];

        return new self($data['partition_by'], array_map(DataFile::fromArray(...), array_values($data['files'])), $eras);
    }

    /** @return array<string, string> the engine's types of what the folders say, by name */
    public function partitionTypes(): array
    {
        $types = [];
        foreach ($this->files[0]->partition ?? [] as $name => $ignored) {
            $type = $this->shape()->column($name)?->type;
            $types[$name] = $type === null ? 'VARCHAR' : TypeMap::write($type);
        }

        return $types;
    }
}
