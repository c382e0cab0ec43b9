<?php

declare(strict_types=1);

namespace App\Http\Controllers;

use App\Models\Feed;
use App\Runtime\Systems;
use Illuminate\Http\Request;
use Illuminate\View\View;
use Lighterman\Core\Port\Explained;

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
        $counts = $sides = $trouble = null;
        $key = array_intersect_key(array_map(strval(...), (array) $request->query('key', [])), array_flip($definition->key));
        try {
            if ($request->boolean('count')) {
                $counts = ['source' => $systems->source($feed->route->source)->count($definition->source), 'target' => $systems->target($feed->route->target)->count($definition->landed)];
            }
            if (count($key) === count($definition->key) && $key !== [] && ! in_array('', $key, true)) {
                $sides = ['source' => $systems->source($feed->route->source)->row($definition->source, $key), 'target' => $systems->target($feed->route->target)->row($definition->landed, $key)];
            }
        } catch (Explained $e) {
            $trouble = $e;
        }

        return view('landed.show', compact('feed', 'definition', 'counts', 'sides', 'key', 'trouble'));
    }
}
