<?php

declare(strict_types=1);

namespace App\Support;

use App\Models\Feed;
use Lighterman\Core\Definition\Partition;
use Lighterman\Core\Shape\Column;

/** The tables that feeds have landed, by what Lighterman knows of them without asking their systems. */
final readonly class LandedTables
{
    /** Feeds whose tables are listed. */
    private const MOST = 1000;

    /** @return list<array{system: string, table: string, columns: array<string, string>}> as they are written in SQL, with the types of the columns */
    public function all(): array
    {
        $tables = [];
        foreach (Feed::with('definition', 'route.target')->where('sequence', '>', 0)->orderBy('landed')->limit(self::MOST)->get() as $feed) {
            $definition = $feed->definition->parsed();
            $parts = array_fill_keys(array_map(static fn (Partition $p): string => $p->name(), $definition->partitionBy), 'partition');
            foreach ($definition->landedTable()->tables() as $table) {
                $tables[] = ['system' => $feed->route->target->name, 'table' => self::quoted($table->name->schema).'.'.self::quoted($table->name->name), 'columns' => self::types($table->columns()) + $parts];
            }
        }

        return $tables;
    }

    /**
     * @param  list<Column>  $columns
     * @return array<string, string>
     */
    private static function types(array $columns): array
    {
        return array_column(array_map(static fn (Column $c): array => [$c->name, $c->type->kind->value === 'enum' ? 'text' : (string) $c->type], $columns), 1, 0);
    }

    public static function quoted(string $name): string
    {
        return preg_match('/^[a-z_][a-z0-9_]*$/', $name) ? $name : '"'.str_replace('"', '""', $name).'"';
    }
}
