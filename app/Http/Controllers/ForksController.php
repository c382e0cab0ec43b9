<?php

declare(strict_types=1);

namespace App\Http\Controllers;

use App\Feeds\DraftBook;
use App\Feeds\EditedSheet;
use App\Feeds\SheetPage;
use App\Models\Feed;
use App\Runtime\Common\Systems;
use Illuminate\Contracts\View\View;
use Illuminate\Http\RedirectResponse;
use Illuminate\Http\Request;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Treatment\Fork;
use Lighterman\Core\Treatment\InvalidTreatment;
use Lighterman\Core\Treatment\Otherwise;
use Lighterman\Core\Treatment\Treatment;

/** The conditions that part a feed's records into tables of their own. */
final class ForksController
{
    public function show(Request $request, Feed $feed, SheetPage $page, Systems $systems): View
    {
        SheetPage::load($feed);
        $log = $feed->log();
        $whole = $log === null ? null : $systems->log($log)->statementForWholeRows(TableName::parse($feed->definition->body['table']));

        return view('feeds.forks', $page->told($request, $feed, EditedSheet::of($feed)) + ['wholeRows' => $whole, 'edit' => $request->has('edit') ? (string) $request->query('edit') : null]);
    }

    public function act(Request $request, Feed $feed): RedirectResponse
    {
        SheetPage::load($feed);
        $path = '/feeds/'.rawurlencode($feed->name).'/forks';
        try {
            SheetPage::changing($request, $feed, fn () => DraftBook::keep($feed, $this->changed($request, DraftBook::treatment($feed))));
        } catch (InvalidTreatment $e) {
            return redirect($path.($request->filled('was') ? '?edit='.rawurlencode((string) $request->input('was')) : ''))->withErrors([$e->getMessage()])->withInput();
        }

        return redirect($path);
    }

    private function changed(Request $request, Treatment $treatment): Treatment
    {
        $act = (string) $request->input('act');
        if ($act === 'otherwise') {
            return $treatment->with(otherwise: Otherwise::tryFrom((string) $request->input('otherwise')));
        }
        $forks = $treatment->forks;
        $at = array_search((string) $request->input('was'), array_column($forks, 'name'), true);
        if ($at === false && $act !== 'keep') {
            throw InvalidTreatment::of('This fork is gone: it was changed meanwhile.');
        }
        switch ($act) {
            case 'keep':
                $typed = Fork::fromArray($request->only(['name', 'when', 'landed']));
                $forks[$at === false ? count($forks) : $at] = $at === false ? $typed : $typed->with($forks[$at]->sheet);
                break;
            case 'remove':
                unset($forks[$at]);
                break;
            case 'up':
            case 'down':
                $to = (int) $at + ($act === 'up' ? -1 : 1);
                if (isset($forks[$to])) {
                    [$forks[$at], $forks[$to]] = [$forks[$to], $forks[$at]];
                }
        }

        return $treatment->with(forks: array_values($forks));
    }
}
