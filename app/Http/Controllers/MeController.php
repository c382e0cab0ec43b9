<?php

declare(strict_types=1);

namespace App\Http\Controllers;

use App\Support\Audit;
use DateTimeZone;
use Illuminate\Contracts\View\View;
use Illuminate\Http\RedirectResponse;
use Illuminate\Http\Request;
use Illuminate\Support\Facades\Cookie;
use Illuminate\Support\Facades\DB;
use Illuminate\Validation\Rule;

final class MeController
{
    public function show(): View
    {
        return view('me', ['zones' => DateTimeZone::listIdentifiers()]);
    }

    /** A new password of one's own; every other session of that person ends. */
    public function password(Request $request): RedirectResponse
    {
        $given = $request->validate(['current' => 'required|string|max:200|current_password', 'password' => 'required|string|min:12|max:200', 'again' => 'required|string|same:password'], ['current.current_password' => 'This is not your present password.', 'password.min' => 'The new password has fewer than 12 characters. Choose a longer one.', 'again.same' => 'The new password is not the same both times.']);
        DB::transaction(static function () use ($request, $given): void {
            $request->user()->update(['password' => $given['password']]);
            Audit::record('changed the password of', 'person', $request->user()->name);
        });
        $request->session()->regenerate();
        $request->session()->put('standing', $request->user()->standing());

        return back()->with('done', 'Your password is changed. Wherever else you were signed in, you are no more.');
    }

    public function store(Request $request): RedirectResponse
    {
        $given = $request->validate(['zone' => ['required', Rule::in(DateTimeZone::listIdentifiers())], 'theme' => 'required|in:system,light,dark']);
        $request->user()->update(['zone' => $given['zone']]);
        Cookie::queue('theme', $given['theme'], 525_600);

        return back()->with('done', 'Saved.');
    }
}
