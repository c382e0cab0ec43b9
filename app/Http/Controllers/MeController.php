<?php

declare(strict_types=1);

namespace App\Http\Controllers;

use DateTimeZone;
use Illuminate\Contracts\View\View;
use Illuminate\Http\RedirectResponse;
use Illuminate\Http\Request;
use Illuminate\Support\Facades\Cookie;
use Illuminate\Validation\Rule;

final class MeController
{
    public function show(): View
    {
        return view('me', ['zones' => DateTimeZone::listIdentifiers()]);
    }

    public function store(Request $request): RedirectResponse
    {
        $given = $request->validate(['zone' => ['required', Rule::in(DateTimeZone::listIdentifiers())], 'theme' => 'required|in:system,light,dark']);
        $request->user()->update(['zone' => $given['zone']]);
        Cookie::queue('theme', $given['theme'], 525_600);

        return back()->with('done', 'Saved.');
    }
}
