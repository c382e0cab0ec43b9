<?php

declare(strict_types=1);

namespace App\Http\Controllers;

use App\Feeds\KeyComparison;
use App\Feeds\SystemBook;
use App\Models\Feed;
use App\Models\System;
use App\Pages\ShapeHistory;
use App\Runtime\Common\Systems;
use App\Support\Audit;
use Illuminate\Contracts\View\View;
use Illuminate\Http\RedirectResponse;
use Illuminate\Http\Request;
use Lighterman\Connectors\Lake\LakeTarget;
use Lighterman\Core\Landing\LandedTable;
use Lighterman\Core\Port\KeptFiles;
use Lighterman\Core\Port\KeptTable;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Trouble\Explained;

/** What has landed, and whether it is the same as at the source. */
final class LandedController
{
    public function __construct(private readonly Systems $systems)
    {
    }

    public function index(): View
    {
        $kept = $troubles = [];
        $targets = System::whereHas('routesTo')->orWhereIn('kind', System::kindsKeepingFiles())->orderBy('name')->get();
        foreach ($targets as $target) {
            try {
                $kept[$target->name] = $this->systems->target($target)->kept();
            } catch (Explained $e) {
                $troubles[] = $e;
            }
        }
        $found = array_filter(array_map(static fn (array $tables): array => array_filter($tables, static fn (KeptTable $t): bool => $t->shape !== null), $kept));

        return view('landed.index', ['feeds' => Feed::with('route.target', 'route.logs', 'definition')->orderBy('landed')->limit(1000)->get(), 'kept' => $kept, 'troubles' => $troubles, 'found' => $found, 'lakes' => $targets->filter(static fn (System $s): bool => $s->keepsFiles())]);
    }

    public function show(Request $request, Feed $feed): View
    {
        $feed->load('route.source', 'route.target', 'route.logs', 'definition');
        $definition = $feed->definition->parsed();
        $counts = $row = $trouble = null;
        $files = [];
        $key = array_intersect_key(array_filter((array) $request->query('key', []), is_string(...)), array_flip($definition->origin->key));
        try {
            $target = $this->systems->target($feed->route->target);
            $files = array_filter(array_map(static fn (LandedTable $t): ?KeptFiles => $target->files($t->name), $definition->landedTable()->tables()));
            if ($request->boolean('count')) {
                $source = $this->systems->source($feed->route->source);
                $deletes = $definition->kind()->deletes($definition->chosen(), $source->capabilities());
                $counts = ['source' => $source->count($definition), 'deletes' => $deletes->strength === 'not given' ? "{$deletes->headline}. {$deletes->reason}" : '', 'target' => array_map(static fn (LandedTable $t): int => $target->count($t->name), $definition->landedTable()->tables())];
            }
            if (count($key) === count($definition->origin->key) && $key !== [] && ! in_array('', $key, true)) {
                $row = KeyComparison::of($feed, $definition, $key, $this->systems);
            }
        } catch (Explained $e) {
            $trouble = $e;
        }

        return view('landed.show', compact('feed', 'definition', 'counts', 'row', 'key', 'files', 'trouble') + ['history' => ShapeHistory::of($feed)]);
    }

    /** A table of a lake that no feed has landed. */
    public function found(Request $request): View
    {
        $given = $request->validate(['system' => 'required|string', 'table' => 'required|string']);
        $lake = $this->lake($given['system']);
        $target = $this->systems->target($lake);
        $table = $target->kept()[$given['table']] ?? null;
        abort_if($table?->shape === null, 404);

        return view('landed.found', ['lake' => $lake, 'name' => $given['table'], 'table' => $table, 'files' => $target->files(TableName::parse($given['table']))]);
    }

    /** Looks through a lake for tables that no feed has landed. */
    public function scan(Request $request): RedirectResponse
    {
        $lake = $this->lake($request->validate(['system' => 'required|string'])['system']);
        $target = $this->systems->target($lake);
        $target instanceof LakeTarget || abort(404);
        set_time_limit(900);
        ['tables' => $tables, 'unreadable' => $unreadable] = $target->scan();
        Audit::record('scanned', 'system', $lake->name, null, ['tables' => $tables, 'unreadable' => count($unreadable)]);
        $done = $tables === 0 ? "Nothing lies in {$lake->name} but what feeds have landed." : ($tables === 1 ? '1 table' : "{$tables} tables")." of others found in {$lake->name}.";

        return redirect('/landed')->with('done', $done)->with('unreadable', array_slice($unreadable, 0, 50));
    }

    private function lake(string $name): System
    {
        $system = SystemBook::named($name);
        abort_unless($system->keepsFiles(), 404);

        return $system;
    }
}
