<?php

declare(strict_types=1);

namespace App\Support;

use Illuminate\Support\HtmlString;

/** A feed's state as mark and word: never colour alone. */
final class Mark
{
    /** @param  string|null  $word said beside the mark; null says the state itself */
    public static function state(string $state, ?string $word = null): HtmlString
    {
        $slug = str_replace(' ', '-', $state);

        return new HtmlString('<span class="state s-'.$slug.'"><svg aria-hidden="true"><use href="#m-'.$slug.'"/></svg>'.e($word ?? $state).'</span>');
    }
}
