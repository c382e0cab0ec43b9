<?php

declare(strict_types=1);

namespace App\Http\Controllers;

use App\Http\Middleware\EndsSessions;
use App\Models\Person;
use App\Support\Audit;
use Illuminate\Contracts\View\View;
use Illuminate\Http\RedirectResponse;
use Illuminate\Http\Request;
use Illuminate\Support\Facades\Auth;
use Illuminate\Support\Facades\RateLimiter;

final class SignInController
{
    public function show(): View
    {
        return view('sign-in');
    }

    public function store(Request $request): RedirectResponse
    {
        $given = $request->validate(['name' => 'required|string|max:60', 'password' => 'required|string|max:200']);
        // Counted per name and address, and per address over all names. Only failures count.
        $counters = ['sign-in:'.mb_strtolower($given['name']).'|'.$request->ip() => 5, 'sign-in:'.$request->ip() => 30];
        foreach ($counters as $counter => $most) {
            if (RateLimiter::tooManyAttempts($counter, $most)) {
                return back()->withInput(['name' => $given['name']])->withErrors(['name' => 'Too many failed tries. Wait '.RateLimiter::availableIn($counter).' s, then try again.']);
            }
        }
        if (! Auth::attempt($given)) {
            array_map(static fn (string $counter): int => RateLimiter::hit($counter, 60), array_keys($counters));
            // What was typed may be a password in the wrong field.
            Audit::record('failed to sign in as', 'person', Person::query()->where('name', $given['name'])->exists() ? $given['name'] : '(nobody of that name)', after: ['from' => $request->ip()]);

            return back()->withInput(['name' => $given['name']])->withErrors(['name' => 'This name and password do not belong together. Check both and try again.']);
        }
        $request->session()->regenerate();
        EndsSessions::begins($request->session(), Person::query()->findOrFail(Auth::id()));
        Audit::record('signed in', 'person', $given['name']);

        return redirect()->intended('/watch');
    }

    public function destroy(Request $request): RedirectResponse
    {
        Audit::record('signed out', 'person', Audit::person());
        Auth::logout();
        $request->session()->invalidate();
        $request->session()->regenerateToken();

        return redirect('/sign-in');
    }
}
