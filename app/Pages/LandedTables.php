<?php

declare(strict_types=1);

namespace App\Pages;

use App\Models\Feed;
use App\Models\System;
use App\Runtime\Common\Systems;
use Lighterman\Core\Landing\Partition;
use Lighterman\Core\Port\KeptTable;
use Lighterman\Core\Shape\Column;
use Lighterman\Core\Trouble\SystemTrouble;

/** The tables that can be queried: those that feeds have landed, and those that scans of lakes have found. */
final readonly class LandedTables
{
    public function __construct(private Systems $systems)
    {
    }

    /** Feeds whose tables are listed. */
    private const MOST = 1000;

    /** @return list<array{system: string, table: string, columns: array<string, string>}> as they are written in SQL, with the types of the columns */
    public function all(): array
    {
        $tables = [];
        foreach (Feed::with('definition', 'route.target')->where('sequence', '>', 0)->orderBy('landed')->limit(self::MOST)->get() as $feed) {
            $definition = $feed->definition->parsed();
            $parts = array_fill_keys(array_map(static fn (Partition $p): string => $p->name(), $definition->destination->partitionBy), 'partition');
            foreach ($definition->landedTable()->tables() as $table) {
                $tables[] = ['system' => $feed->route->target->name, 'table' => self::quoted($table->name->schema).'.'.self::quoted($table->name->name), 'columns' => self::types($table->columns()) + $parts];
            }
        }

        foreach (System::keepingFiles()->orderBy('name')->get() as $lake) {
            $tables = [...$tables, ...$this->found($lake)];
        }

        return $tables;
    }

    /** @return list<array{system: string, table: string, columns: array<string, string>}> tables of a lake that a scan has found; none while it cannot be reached */
    private function found(System $lake): array
    {
        try {
            $found = array_filter($this->systems->target($lake)->kept(), static fn (KeptTable $t): bool => $t->shape !== null);
        } catch (SystemTrouble) {
            return [];
        }

        return array_map(static fn (string $name, KeptTable $t): array => ['system' => $lake->name, 'table' => implode('.', array_map(self::quoted(...), explode('.', $name, 2))), 'columns' => self::types($t->shape->columns ?? [])], array_keys($found), $found);
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
