<?php

declare(strict_types=1);

namespace App\Http\Controllers;

use App\Models\AuditEntry;
use App\Support\Say;
use Carbon\CarbonImmutable;
use Illuminate\Contracts\View\View;
use Illuminate\Http\Request;

final class AuditController
{
    public function __invoke(Request $request): View
    {
        $page = max(1, $request->integer('page', 1));
        $asked = array_map(static fn (mixed $v): string => is_string($v) ? mb_substr(trim($v), 0, 200) : '', $request->only(['who', 'what', 'from', 'to']));
        $entries = AuditEntry::query();
        ($asked['who'] ?? '') === '' || $entries->where('person', $asked['who']);
        ($asked['what'] ?? '') === '' || $entries->whereRaw("concat_ws(' ', action, subject_kind, subject) ILIKE ?", ['%'.addcslashes($asked['what'], '%_\\').'%']);
        foreach (['from' => '>=', 'to' => '<='] as $side => $than) {
            $at = self::moment($asked[$side] ?? '');
            $at === null || $entries->where('at', $than, $at);
        }

        return view('audit', ['asked' => $asked + ['who' => '', 'what' => '', 'from' => '', 'to' => ''], 'people' => AuditEntry::query()->distinct()->orderBy('person')->pluck('person'), 'page' => $page, 'pages' => (int) max(1, ceil($entries->count() / 100)), 'entries' => $entries->latest('id')->forPage($page, 100)->get()]);
    }

    /** What a field for a time holds, in the viewer's zone; null where that is none. */
    private static function moment(string $typed): ?CarbonImmutable
    {
        return preg_match('/^\d{4}-\d\d-\d\dT\d\d:\d\d$/', $typed) === 1 ? CarbonImmutable::parse($typed, Say::zone())->utc() : null;
    }
}
