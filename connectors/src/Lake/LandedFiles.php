<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Lake;

use Lighterman\Core\Definition\LandedTable;
use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\Shape;

/** The files that a landed table consists of. */
final readonly class LandedFiles
{
    /**
     * @param  Shape  $shape  every column it has now, those of the landing too
     * @param  list<string>  $partitionBy
     * @param  list<DataFile>  $files
     */
    public function __construct(public Shape $shape, public array $partitionBy, public array $files)
    {
    }

    public static function of(LandedTable $landed): self
    {
        return new self(self::shapeOf($landed), array_map(strval(...), $landed->partitionBy), []);
    }

    public static function shapeOf(LandedTable $landed): Shape
    {
        return new Shape(array_map(static fn (Column $c): Column => new Column($c->name, $c->type, $c->nullable, $c->comment), $landed->columns()), $landed->rowKey());
    }

    /** @param  list<DataFile>  $files */
    public function with(array $files): self
    {
        return new self($this->shape, $this->partitionBy, $files);
    }

    /** @return array<string, true> of its files */
    public function names(): array
    {
        return array_fill_keys(array_map(static fn (DataFile $f): string => $f->name, $this->files), true);
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
        return ['shape' => $this->shape->toArray(), 'partition_by' => $this->partitionBy, 'files' => array_map(static fn (DataFile $f): array => $f->toArray(), $this->files)];
    }

    /** @param  array<string, mixed>  $data */
    public static function fromArray(array $data): self
    {
        return new self(Shape::fromArray($data['shape']), $data['partition_by'], array_map(DataFile::fromArray(...), array_values($data['files'])));
    }
}
