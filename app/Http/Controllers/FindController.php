<?php

declare(strict_types=1);

namespace App\Http\Controllers;

use App\Models\Feed;
use App\Models\System;
use Illuminate\Contracts\View\View;
use Illuminate\Http\Request;

/** Finds feeds by name, table or column, and systems by name. */
final class FindController
{
    public function __invoke(Request $request): View
    {
        $q = trim((string) $request->query('q'));
        $like = '%'.addcslashes($q, '\\%_').'%';
        $feeds = $q === '' ? collect() : Feed::with('definition', 'route.logs')->where(fn ($w) => $w->where('feeds.name', 'ilike', $like)->orWhere('landed', 'ilike', $like)
            ->orWhereHas('definition', fn ($d) => $d->whereRaw("body->>'table' ILIKE ?", [$like])->orWhereRaw("EXISTS (SELECT 1 FROM jsonb_array_elements(body->'shape'->'columns') c WHERE c->>'name' ILIKE ?)", [$like])))
            ->orderBy('name')->limit(100)->get();

        return view('find', ['q' => $q, 'feeds' => $feeds, 'systems' => $q === '' ? collect() : System::where('name', 'ilike', $like)->orderBy('name')->limit(20)->get()]);
    }
}
