<?php

declare(strict_types=1);

namespace App\Http\Controllers;

use App\Feeds\SystemBook;
use App\Models\Feed;
use App\Models\System;
use App\Runtime\Systems;
use Illuminate\Http\Request;
use Illuminate\Support\Collection;
use Illuminate\View\View;
use Lighterman\Core\Definition\Partition;
use Lighterman\Core\Port\Explained;
use Lighterman\Core\Port\QueryResult;
use Lighterman\Core\Shape\Column;
use Symfony\Component\HttpFoundation\StreamedResponse;

/** Read-only SQL on a target. */
final class SqlController
{
    /** Feeds whose tables are listed beside the statement. */
    private const TABLES = 300;

    public function show(Request $request): View
    {
        return view('landed.sql', ['targets' => $this->targets(), 'tables' => $this->tables(), 'chosen' => $request->query('target'), 'sql' => (string) $request->query('sql'), 'result' => null, 'trouble' => null]);
    }

    public function run(Request $request, Systems $systems): View|StreamedResponse
    {
        $given = $request->validate(['target' => 'required|string', 'sql' => 'required|string|max:20000']);
        $limits = config('lighterman.query');
        $result = $trouble = null;
        try {
            $target = $systems->target(SystemBook::named($given['target']));
            if ($request->boolean('csv')) {
                return $this->csv($target->query($given['sql'], $limits['download_rows'], $limits['seconds']));
            }
            $result = $target->query($given['sql'], $limits['row_limit'], $limits['seconds']);
        } catch (Explained $e) {
            $trouble = $e;
        }

        return view('landed.sql', ['targets' => $this->targets(), 'tables' => $this->tables(), 'chosen' => $given['target'], 'sql' => $given['sql'], 'result' => $result, 'trouble' => $trouble]);
    }

    /** RFC 4180, with an empty field for null and a quoted empty one for an empty text. */
    private function csv(QueryResult $result): StreamedResponse
    {
        return response()->streamDownload(static function () use ($result): void {
            $line = static fn (array $fields): string => implode(',', array_map(static fn (?string $f): string => match (true) {
                $f === null => '', $f === '' => '""', (bool) preg_match('/[",\r\n]/', $f) => '"'.str_replace('"', '""', $f).'"', default => $f,
            }, $fields))."\r\n";
            echo $line(array_column($result->columns, 'name'));
            foreach ($result->rows as $row) {
                echo $line($row);
            }
        }, 'result.csv', ['Content-Type' => 'text/csv; charset=utf-8']);
    }

    /** @return list<array{system: string, table: string, columns: list<string>}> as they are written in SQL */
    private function tables(): array
    {
        $quoted = static fn (string $name): string => preg_match('/^[a-z_][a-z0-9_]*$/', $name) ? $name : '"'.str_replace('"', '""', $name).'"';
        $tables = [];
        foreach (Feed::with('definition', 'route.target')->where('sequence', '>', 0)->orderBy('landed')->limit(self::TABLES)->get() as $feed) {
            $definition = $feed->definition->parsed();
            $parts = array_map(static fn (Partition $p): string => $p->name(), $definition->partitionBy);
            foreach ($definition->landedTable()->tables() as $table) {
                $columns = array_map(static fn (Column $c): string => $c->name, $table->columns());
                $tables[] = ['system' => $feed->route->target->name, 'table' => $quoted($table->name->schema).'.'.$quoted($table->name->name), 'columns' => [...$columns, ...array_diff($parts, $columns)]];
            }
        }

        return $tables;
    }

    /** @return Collection<int, string> names of systems that something lands in */
    private function targets(): Collection
    {
        return System::whereHas('routesTo')->orderBy('name')->pluck('name');
    }
}
