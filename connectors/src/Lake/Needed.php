<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Lake;

use Lighterman\Connectors\Engine\Engine;
use Lighterman\Connectors\Engine\EngineError;

/**
 * Which files of some tables a query needs, told by its conditions on partitions before any file is opened. The engine plans
 * the query over empty files in the same folders, and says which conditions leave out how many of them.
 *
 * The answer may be too large, and never too small: a table is whole wherever the plan leaves a doubt.
 */
final readonly class Needed
{
    /** @param  string  $work  absolute folder that the engine may use */
    public function __construct(private Engine $engine, private string $work)
    {
    }

    /**
     * Leaves views of the tables behind, over empty files.
     *
     * @param  array<string, LandedFiles>  $tables  by name
     * @param  callable(string, LandedFiles, Contents): void  $view  makes the view of a table
     * @return array<string, list<DataFile>> by table
     *
     * @throws EngineError if the query cannot be planned
     */
    public function of(string $sql, array $tables, callable $view): array
    {
        foreach (array_keys($tables) as $n => $name) {
            $folder = new LocalFolder($name, "{$this->work}/empty-{$n}");
            $view($name, $this->empty($tables[$name], $folder), new Contents($folder, $this->engine, $this->work));
        }
        $whole = array_map(static fn (LandedFiles $t): array => $t->files, $tables);
        $needed = array_fill_keys(array_keys($tables), []);
        // Files without rows may let the engine do without reading them, which those with rows would not.
        foreach ($this->engine->scans($sql) ?? [['conditions' => null, 'read' => 0, 'of' => 0]] as ['conditions' => $conditions, 'read' => $read, 'of' => $of]) {
            if ($conditions === null) {
                return $whole;
            }
            $known = false;
            foreach ($tables as $name => $table) {
                $meant = count($table->files) === $of ? $this->meant($table, $conditions) : null;
                if ($meant !== null && count($meant) === $read) {
                    $known = true;
                    $needed[$name] += $meant;
                }
            }
            if (! $known) {
                return $whole;
            }
        }

        return array_map(array_values(...), $needed);
    }

    private function empty(LandedFiles $table, LocalFolder $folder): LandedFiles
    {
        $files = array_map(static fn (DataFile $f): DataFile => new DataFile("{$f->name}.parquet", 0, 0, $f->partition, 0), $table->files);
        $first = null;
        foreach ($files as $file) {
            $path = $folder->local($file->name);
            is_dir(dirname($path)) || mkdir(dirname($path), 0700, true);
            if ($first === null) {
                $this->engine->run('COPY ('.(new Contents($folder, $this->engine, $this->work))->of($table, []).') TO '.Engine::literal($path).' (FORMAT parquet)');
                $first = $path;
            } else {
                link($first, $path);
            }
        }

        return $table->with($files);
    }

    /** @return array<int, DataFile>|null null if the conditions cannot be put to the partitions of this table */
    private function meant(LandedFiles $table, string $conditions): ?array
    {
        $types = $table->partitionTypes();
        $rows = [];
        foreach ($table->files as $n => $file) {
            $rows[] = '('.implode(', ', [$n, ...array_map(static fn (string $p, string $type): string => 'CAST('.(($file->partition[$p] ?? null) === null ? 'NULL' : Engine::literal($file->partition[$p])).' AS '.$type.')', array_keys($types), $types)]).')';
        }
        try {
            $found = $this->engine->rows('SELECT n FROM (VALUES '.implode(', ', $rows).') AS files (n, '.implode(', ', array_map(Engine::name(...), array_keys($types))).") WHERE {$conditions}");
        } catch (EngineError) {
            return null;
        }

        return array_intersect_key($table->files, array_flip(array_map(intval(...), array_column($found, 'n'))));
    }
}
