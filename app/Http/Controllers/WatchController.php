<?php

declare(strict_types=1);

namespace App\Http\Controllers;

use App\Pages\Frame;
use App\Pages\Lanes;
use Illuminate\Contracts\View\View;
use Illuminate\Http\Request;

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
