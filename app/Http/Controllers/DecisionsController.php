<?php

declare(strict_types=1);

namespace App\Http\Controllers;

use App\Support\Decisions;
use Illuminate\View\View;

final class DecisionsController
{
    public function __invoke(): View
    {
        return view('decisions', ['waiting' => Decisions::waiting(), 'aside' => Decisions::aside()]);
    }
}
