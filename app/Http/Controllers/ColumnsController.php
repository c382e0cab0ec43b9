<?php

declare(strict_types=1);

namespace App\Http\Controllers;

use App\Feeds\DraftBook;
use App\Feeds\EditedSheet;
use App\Feeds\FeedBook;
use App\Feeds\Hiding;
use App\Feeds\LineInput;
use App\Feeds\SheetAct;
use App\Feeds\SheetPage;
use App\Models\Feed;
use App\Runtime\Common\Systems;
use App\Runtime\Treating\Treating;
use Illuminate\Contracts\View\View;
use Illuminate\Http\JsonResponse;
use Illuminate\Http\RedirectResponse;
use Illuminate\Http\Request;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Treatment\Explode;
use Lighterman\Core\Treatment\Fork;
use Lighterman\Core\Treatment\InvalidTreatment;
use Lighterman\Core\Treatment\Reach;
use Lighterman\Core\Treatment\RowCompiler;
use Lighterman\Core\Treatment\Treatment;

/** The column sheets of a feed: what is changed is kept as a draft until it is saved as a version. */
final class ColumnsController
{
    public function __construct(private readonly SheetPage $page)
    {
    }

    public function show(Request $request, Feed $feed): View|RedirectResponse
    {
        SheetPage::load($feed);
        try {
            $of = EditedSheet::of($feed, (string) $request->query('fork', ''));
        } catch (InvalidTreatment $e) {
            return redirect('/feeds/'.rawurlencode($feed->name).'/forks')->withErrors([$e->getMessage()]);
        }

        return view('feeds.columns', $this->page->told($request, $feed, $of) + ['line' => $request->has('line') ? $request->integer('line') : null]);
    }

    /** One line of the sheet, as it is being edited. */
    public function line(Request $request, Feed $feed): JsonResponse|RedirectResponse
    {
        SheetPage::load($feed);
        $number = $request->integer('line');
        $fork = (string) $request->input('fork', '');
        try {
            SheetPage::changing($request, $feed, static function () use ($request, $feed, $fork, $number): void {
                $sheet = EditedSheet::of($feed, $fork);
                $lines = $sheet->lines();
                $was = $lines[$number] ?? throw InvalidTreatment::of('This line is gone: the sheet was changed meanwhile. Reload the page.');
                if ($request->has('remove_line')) {
                    unset($lines[$number]);
                } else {
                    $lines[$number] = LineInput::line($request, $was);
                }
                $sheet->keep(array_values($lines));
            });
        } catch (InvalidTreatment $e) {
            return $request->expectsJson() ? response()->json(['error' => $e->getMessage()]) : SheetPage::back($request, $feed, $number)->withErrors([$e->getMessage()])->withInput();
        }

        return $request->expectsJson() ? response()->json(['error' => null] + $this->parts($request, $feed, EditedSheet::of($feed, $fork))) : SheetPage::back($request, $feed, $request->has('remove_line') || $request->has('done') ? null : $number);
    }

    public function act(Request $request, Feed $feed, Systems $systems): RedirectResponse
    {
        SheetPage::load($feed);
        try {
            return SheetPage::changing($request, $feed, fn (): RedirectResponse => $this->done($request, $feed, $systems));
        } catch (InvalidTreatment $e) {
            return SheetPage::back($request, $feed)->withErrors([$e->getMessage()])->withInput();
        }
    }

    private function done(Request $request, Feed $feed, Systems $systems): RedirectResponse
    {
        $act = (string) $request->input('act');
        $sheet = EditedSheet::of($feed, (string) $request->input('fork', ''));
        if ($act === 'save') {
            return $this->save($feed, $sheet->whole, $systems);
        }
        if ($act === 'discard') {
            DraftBook::discard($feed);

            return redirect('/feeds/'.rawurlencode($feed->name).'/columns')->with('done', 'What was not saved is discarded.');
        }
        if ($act === 'explode' || $act === 'explode_no_more') {
            DraftBook::keep($feed, $sheet->whole->exploding($act === 'explode' ? $this->explode($request, $sheet) : null));
        } else {
            $open = (new SheetAct($systems))->do($act, $request, $sheet);
        }

        return SheetPage::back($request, $feed, $open ?? null);
    }

    private function explode(Request $request, EditedSheet $sheet): Explode
    {
        $column = (string) ($sheet->lines()[$request->integer('line')]->from ?? '');

        return new Explode($column, trim((string) $request->input('number')) ?: "{$column}_no");
    }

    private function save(Feed $feed, Treatment $treatment, Systems $systems): RedirectResponse
    {
        $before = $feed->definition->parsed();
        $wanted = DraftBook::definition($feed, $treatment);
        DraftBook::save($feed, $wanted, $systems);
        $hidden = Hiding::added($before, $wanted);
        $said = 'Saved as version '.$feed->refresh()->load('definition')->definition->version.'; it holds from the next batch.';
        $revealing = (new RowCompiler($wanted->carried(), $treatment, new Reach(static fn (): string => str_repeat("\0", 32), Treating::table(...))))->revealing();
        $said .= $revealing === [] ? '' : ' '.implode(', ', $revealing).(count($revealing) === 1 ? ' lands' : ' land').' in clear, though computed from what a mask hides; mask what comes of it too, unless that is meant.';
        $kept = array_filter([
            $hidden === [] ? null : 'keep '.implode(', ', $hidden).' in clear',
            self::parting($before) === self::parting($wanted) ? null : 'stay in the tables they are in',
        ]);

        if ($hidden !== [] && $feed->complete_up_to === null && $feed->sequence > 0 && ! $wanted->destination->landing->adds()) {
            FeedBook::loadFromStart($feed);

            return redirect('/feeds/'.rawurlencode($feed->name).'/columns')->with('done', "{$said} The first load has landed rows in which ".implode(', ', $hidden).' '.(count($hidden) === 1 ? 'stands' : 'stand').' in clear; it begins again, and lands them as they are to be.');
        }

        return redirect('/feeds/'.rawurlencode($feed->name).'/columns')->with('done', $kept === [] || $feed->sequence === 0 ? $said
            : "{$said} Rows that landed before ".implode(' and ', $kept).' until they are landed again: load the table again, or start the feed over, on its Set-up page.');
    }

    /** @return array<string, mixed> what decides in which table a record lands */
    private static function parting(FeedDefinition $definition): array
    {
        return ['forks' => array_map(static fn (Fork $f): array => [$f->when, (string) $f->landed], $definition->treatment->forks), 'otherwise' => $definition->treatment->elsewhere()];
    }

    /** @return array<string, string> the parts of the page that change while a line is edited */
    private function parts(Request $request, Feed $feed, EditedSheet $of): array
    {
        $told = $this->page->told($request, $feed, $of) + ['line' => $request->integer('line')];

        return ['sheet' => view('feeds.sheet-part', $told)->render(), 'title' => view('feeds.sheet-title', $told)->render(), 'below' => view('feeds.sheet-below', $told)->render(), 'result' => view('feeds.line-result', $told)->render()];
    }
}
