<?php

declare(strict_types=1);

namespace App\Http\Controllers;

use App\Support\Frame;
use App\Support\Lanes;
use Illuminate\Http\Request;
use Illuminate\View\View;

final class WatchController
{
    public function index(Request $request, Frame $frame): View
    {
        $lanes = Lanes::page(max(1, $request->integer('page', 1)));

        return view($request->hasHeader('X-Part') ? 'watch.part' : 'watch.index', ['lanes' => $lanes, 'frame' => $frame]);
    }

    public function ruler(Frame $frame): View
    {
        return view('parts.ruler', ['frame' => $frame]);
    }
}
