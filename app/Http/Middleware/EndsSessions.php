<?php

declare(strict_types=1);

namespace App\Http\Middleware;

use App\Models\Person;
use Closure;
use Illuminate\Contracts\Session\Session;
use Illuminate\Http\Request;
use Illuminate\Support\Facades\Auth;
use Symfony\Component\HttpFoundation\Response;

/** Ends sessions that have been idle or have lasted too long, and those from before a password or a role was changed. */
final class EndsSessions
{
    public function handle(Request $request, Closure $next): Response
    {
        $person = Auth::user();
        if ($person instanceof Person) {
            $session = $request->session();
            $now = now()->getTimestamp();
            // Of somebody else it says nothing.
            $session->get('standing_of') === $person->id || self::begins($session, $person);
            $why = match (true) {
                $session->get('standing') !== $person->standing() => 'Your password or your role was changed. Sign in again.',
                $now - $session->get('signed_in_at', 0) > 60 * (int) config('lighterman.session.longest_minutes') => 'You have been signed in for long. Sign in again.',
                $now - $session->get('active_at', 0) > 60 * (int) config('lighterman.session.idle_minutes') => 'Nothing was done for long. Sign in again.',
                default => null,
            };
            if ($why !== null) {
                Auth::logout();
                $session->invalidate();
                $session->regenerateToken();

                return redirect('/sign-in')->withErrors(['name' => $why]);
            }
            // What a page does by itself is nobody's doing.
            $request->hasHeader('X-Part') || $session->put('active_at', $now);
        }

        return $next($request);
    }

    /** Somebody has signed in. */
    public static function begins(Session $session, Person $person): void
    {
        $now = now()->getTimestamp();
        $session->put(['standing' => $person->standing(), 'standing_of' => $person->id, 'signed_in_at' => $now, 'active_at' => $now]);
    }
}
