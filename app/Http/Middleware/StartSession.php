<?php

declare(strict_types=1);

namespace App\Http\Middleware;

use Illuminate\Session\Middleware\StartSession as Base;
use Illuminate\Support\Facades\DB;

/**
 * The parts of a page that refresh themselves read the session and do not write it: one that runs beside a form would use
 * up the form's message, or write back what the session was before. They only keep it from expiring.
 */
final class StartSession extends Base
{
    protected function saveSession($request): void
    {
        if ($request->hasHeader('X-Part')) {
            DB::table('sessions')->where('id', $request->session()->getId())->update(['last_activity' => time()]);

            return;
        }
        parent::saveSession($request);
    }
}
