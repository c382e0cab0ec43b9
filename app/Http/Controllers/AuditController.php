<?php

declare(strict_types=1);

namespace App\Http\Controllers;

use App\Models\AuditEntry;
use Illuminate\Contracts\View\View;
use Illuminate\Http\Request;

final class AuditController
{
    public function __invoke(Request $request): View
    {
        $page = max(1, $request->integer('page', 1));

        return view('audit', ['page' => $page, 'pages' => (int) max(1, ceil(AuditEntry::count() / 100)), 'entries' => AuditEntry::latest('id')->forPage($page, 100)->get()]);
    }
}
