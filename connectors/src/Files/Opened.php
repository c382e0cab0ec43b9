<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Files;

use Closure;
use HashContext;
use Lighterman\Connectors\Engine\Engine;
use Lighterman\Core\Capture\FilePattern;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Format\Avro\MalformedAvro;
use Lighterman\Core\Format\Avro\Reader as AvroReader;
use Lighterman\Core\Format\FileFormat;
use Lighterman\Core\Format\Rows\Block;
use Lighterman\Core\Format\Rows\DelimitedRows;
use Lighterman\Core\Format\Rows\FileRows;
use Lighterman\Core\Format\Rows\Frame;
use Lighterman\Core\Format\Rows\JsonRows;
use Lighterman\Core\Format\Rows\OtherShape;
use Lighterman\Core\Format\Rows\TypedRows;
use Lighterman\Core\Format\Rows\ValueForm;
use Lighterman\Core\Port\BrokenFile;
use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\Shape;

/** Opens the files of a feed, each as rows of the feed's carried columns. */
final class Opened
{
    private readonly FilePattern $pattern;

    private readonly Shape $carried;

    private ?Engine $engine = null;

    /** @param  Closure(): Engine  $engines  for the formats that it reads */
    public function __construct(private readonly FeedDefinition $definition, private readonly Store $store, private readonly Closure $engines)
    {
        $this->pattern = new FilePattern($definition->origin->table->name);
        $this->carried = $definition->carried();
    }

    /**
     * @param  HashContext|null  $hash  takes up the bytes of the file, where it is not the engine that reads them
     * @return \Generator<int, Block>
     *
     * @throws BrokenFile
     */
    public function blocks(string $path, ?HashContext $hash = null): \Generator
    {
        try {
            yield from $this->rows($path, $hash)->blocks();
        } catch (OtherShape|MalformedAvro $e) {
            throw BrokenFile::at($path, lcfirst(rtrim($e->getMessage(), '.')));
        }
    }

    /**
     * A row of which nothing but the file is known, for one that is set aside whole.
     *
     * @return list<string|null>
     */
    public function empty(string $path): array
    {
        return array_map(fn (Column $c): ?string => $c->name === $this->definition->origin->files?->own->file ? $path : null, $this->carried->columns);
    }

    public function close(): void
    {
        $this->engine?->close();
        $this->engine = null;
    }

    private function rows(string $path, ?HashContext $hash): FileRows
    {
        $reading = $this->definition->origin->files ?? throw new \LogicException('A feed of files says how they are read.');
        $frame = $this->frame($path);
        switch ($reading->format) {
            case FileFormat::Delimited:
                return new DelimitedRows(BoundedLines::of($this->store->pieces($path, $hash), $path, false), $reading->dialect ?? throw new \LogicException('Delimited text has a dialect.'), $frame, $reading->dates);
            case FileFormat::JsonLines:
                return new JsonRows(BoundedLines::of($this->store->pieces($path, $hash), $path, true), $frame);
            case FileFormat::Avro:
                $avro = new AvroReader($this->store->pieces($path, $hash));

                return new TypedRows($avro->shape(), $avro->rows(), $frame);
            case FileFormat::Parquet:
                $file = new ParquetFile($this->engine ??= ($this->engines)(), $path, $this->store->place($path));
                $shape = $file->shape();

                return new TypedRows($shape, $file->rows($shape), $frame);
        }
    }

    private function frame(string $path): Frame
    {
        $reading = $this->definition->origin->files;
        $folders = array_combine($this->pattern->columns(), $this->pattern->values($path));
        $own = [...array_keys($folders), ...$reading?->own->names() ?? []];
        $known = $this->definition->origin->shape->without(array_map(strval(...), $own));
        $constant = [];
        foreach ($this->carried->columns as $column) {
            if (array_key_exists($column->name, $folders)) {
                $constant[] = $this->folderValue($path, $column, $folders[$column->name]);
            } elseif ($column->name === $reading?->own->file) {
                $constant[] = $path;
            }
        }

        return new Frame($this->carried->without(array_map(strval(...), $own)), $known->names(), $reading->fit ?? false, $constant, $reading?->own->line !== null && $this->carried->column($reading->own->line) !== null);
    }

    private function folderValue(string $path, Column $column, ?string $value): ?string
    {
        $read = $value === null ? null : (new ValueForm($column->type))->value($value);

        return $read === false ? throw BrokenFile::at($path, 'its folder says '.(new ValueForm($column->type))->fault($column->name)) : $read;
    }
}
