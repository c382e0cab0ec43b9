<?php

declare(strict_types=1);

namespace App\Http\Controllers;

use Illuminate\Contracts\View\View;
use Illuminate\Http\Request;
use Lighterman\Core\Trouble\InvalidDefinition;

/** Puts a schedule that is being typed into words, with its next times. */
final class ScheduleController
{
    public function __invoke(Request $request): View
    {
        try {
            return view('parts.schedule-reading', ['schedule' => ScheduleInput::read($request->query()), 'trouble' => null]);
        } catch (InvalidDefinition $e) {
            return view('parts.schedule-reading', ['schedule' => null, 'trouble' => $e]);
        }
    }
}
