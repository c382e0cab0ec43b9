<?php

declare(strict_types=1);

namespace App\Http\Controllers;

use App\Pages\Decisions;
use Illuminate\Contracts\View\View;

final class DecisionsController
{
    public function __invoke(): View
    {
        return view('decisions', ['waiting' => Decisions::waiting(), 'aside' => Decisions::aside()]);
    }
}
