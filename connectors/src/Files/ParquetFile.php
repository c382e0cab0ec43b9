<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Files;

use Generator;
use Lighterman\Connectors\Engine\Engine;
use Lighterman\Connectors\Engine\EngineError;
use Lighterman\Connectors\Engine\TypeMap;
use Lighterman\Core\Port\BrokenFile;
use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\Shape;

/** A Parquet file that the embedded engine reads. */
final readonly class ParquetFile
{
    private string $from;

    /** @param  string  $place  where the engine finds it */
    public function __construct(private Engine $engine, private string $path, string $place)
    {
        $this->from = 'read_parquet('.Engine::literal($place).', hive_partitioning = false)';
    }

    /** @throws BrokenFile */
    public function shape(): Shape
    {
        return $this->guarded(fn (): Shape => new Shape(array_map(static fn (int|string $name, string $type): Column => new Column((string) $name, TypeMap::of($type)), array_keys($columns = $this->engine->describe("SELECT * FROM {$this->from}")), array_values($columns))));
    }

    /**
     * @return Generator<int, list<string|null>> in the order of the shape's columns
     *
     * @throws BrokenFile
     */
    public function rows(Shape $shape): Generator
    {
        try {
            $native = $this->engine->describe("SELECT * FROM {$this->from}");
            $texts = implode(', ', array_map(static fn (Column $c): string => self::cut(TypeMap::told(Engine::name($c->name), $c->type), $native[$c->name] ?? '').' AS '.Engine::name($c->name), $shape->columns));
            foreach ($this->engine->query("SELECT {$texts} FROM {$this->from}") as $row) {
                yield array_values($row);
            }
        } catch (EngineError $e) {
            throw $this->broken($e);
        }
    }

    /** Nanoseconds are cut to the microsecond they are in; rounded, the last of a year would be in the next one. */
    private static function cut(string $text, string $native): string
    {
        return $native === 'TIMESTAMP_NS' ? "regexp_replace({$text}, '(\\.\\d{6})\\d+', '\\1')" : $text;
    }

    /** @throws BrokenFile */
    public function count(): int
    {
        return $this->guarded(fn (): int => (int) $this->engine->value("SELECT count(*) FROM {$this->from}"));
    }

    /**
     * @template T
     *
     * @param  callable(): T  $do
     * @return T
     */
    private function guarded(callable $do): mixed
    {
        try {
            return $do();
        } catch (EngineError $e) {
            throw $this->broken($e);
        }
    }

    private function broken(EngineError $e): BrokenFile
    {
        // The engine's own words name the place on this machine.
        return BrokenFile::at($this->path, lcfirst(rtrim((string) preg_replace(['~[\'"]?/\S+[\'"]?~', '/^[A-Z]\w+ (Input )?Error: /i'], ['it', ''], $e->getMessage()), '.')));
    }
}
