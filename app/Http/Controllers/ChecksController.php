<?php

declare(strict_types=1);

namespace App\Http\Controllers;

use App\Feeds\DraftBook;
use App\Feeds\EditedSheet;
use App\Feeds\LineInput;
use App\Feeds\SheetPage;
use App\Feeds\WatchedRecords;
use App\Models\Feed;
use Illuminate\Contracts\View\View;
use Illuminate\Http\RedirectResponse;
use Illuminate\Http\Request;
use Lighterman\Core\Treatment\Check;
use Lighterman\Core\Treatment\FailureLimit;
use Lighterman\Core\Treatment\InvalidTreatment;
use Lighterman\Core\Treatment\Outcome;
use Lighterman\Core\Treatment\Treatment;
use Lighterman\Core\Treatment\WatchRule;

/** What every record of a feed has to be like, and what is only counted. */
final class ChecksController
{
    public function show(Request $request, Feed $feed, SheetPage $page): View
    {
        SheetPage::load($feed);

        return view('feeds.checks', $page->told($request, $feed, EditedSheet::of($feed)) + ['counted' => WatchedRecords::of($feed), 'edit' => $request->has('check') ? $request->integer('check') : null, 'kind' => (string) $request->query('kind', '')]);
    }

    public function act(Request $request, Feed $feed): RedirectResponse
    {
        SheetPage::load($feed);
        $path = '/feeds/'.rawurlencode($feed->name).'/checks';
        try {
            SheetPage::changing($request, $feed, fn () => DraftBook::keep($feed, $this->changed($request, DraftBook::treatment($feed))));
        } catch (InvalidTreatment $e) {
            return redirect($path.'?kind='.rawurlencode((string) $request->input('check')).($request->has('check_number') ? '&check='.$request->integer('check_number') : ''))->withErrors([$e->getMessage()])->withInput();
        }

        return $request->input('act') === 'outcome' ? back() : redirect($path);
    }

    private function changed(Request $request, Treatment $treatment): Treatment
    {
        $checks = $treatment->checks;
        $number = $request->input('check_number') === null ? count($checks) : $request->integer('check_number');
        switch ($request->input('act')) {
            case 'check':
                $checks[$number] = Check::fromArray(LineInput::check($request));

                return $treatment->with(checks: array_values($checks));
            case 'remove':
                unset($checks[$number]);

                return $treatment->with(checks: array_values($checks));
            case 'count':
                return $treatment->with(watch: [...$treatment->watch, WatchRule::fromArray($request->only(['name', 'expression']))]);
            case 'count_no_more':
                return $treatment->with(watch: array_values(array_filter($treatment->watch, static fn (WatchRule $w): bool => $w->name !== $request->input('name'))));
            case 'outcome':
                return $treatment->failing(Outcome::tryFrom((string) $request->input('failing')), FailureLimit::fromArray($request->filled('limit_percent') ? ['percent' => $request->input('limit_percent'), 'of' => $request->input('limit_of') ?: 10_000] : null));
        }

        return $treatment;
    }
}
