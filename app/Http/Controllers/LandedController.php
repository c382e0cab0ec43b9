<?php

declare(strict_types=1);

namespace App\Http\Controllers;

use App\Feeds\KeyComparison;
use App\Models\Feed;
use App\Runtime\Systems;
use Illuminate\Http\Request;
use Illuminate\View\View;
use Lighterman\Core\Definition\LandedTable;
use Lighterman\Core\Port\Explained;
use Lighterman\Core\Port\KeptFiles;

/** What has landed, and whether it is the same as at the source. */
final class LandedController
{
    public function index(): View
    {
        return view('landed.index', ['feeds' => Feed::with('route.target', 'route.logs', 'definition')->orderBy('landed')->limit(1000)->get()]);
    }

    public function show(Request $request, Feed $feed, Systems $systems): View
    {
        $feed->load('route.source', 'route.target', 'route.logs', 'definition');
        $definition = $feed->definition->parsed();
        $counts = $row = $trouble = null;
        $files = [];
        $key = array_intersect_key(array_map(strval(...), (array) $request->query('key', [])), array_flip($definition->key));
        try {
            $target = $systems->target($feed->route->target);
            $files = array_filter(array_map(static fn (LandedTable $t): ?KeptFiles => $target->files($t->name), $definition->landedTable()->tables()));
            if ($request->boolean('count')) {
                $counts = ['source' => $systems->source($feed->route->source)->count($definition), 'target' => array_map(static fn (LandedTable $t): int => $target->count($t->name), $definition->landedTable()->tables())];
            }
            if (count($key) === count($definition->key) && $key !== [] && ! in_array('', $key, true)) {
                $row = KeyComparison::of($feed, $definition, $key, $systems);
            }
        } catch (Explained $e) {
            $trouble = $e;
        }

        return view('landed.show', compact('feed', 'definition', 'counts', 'row', 'key', 'files', 'trouble'));
    }
}
