<?php

declare(strict_types=1);

namespace App\Http\Controllers;

use App\Feeds\ColumnSheet;
use App\Feeds\DraftBook;
use App\Feeds\Flattening;
use App\Feeds\LineInput;
use App\Feeds\Renaming;
use App\Feeds\Samples;
use App\Feeds\WatchedRecords;
use App\Models\Feed;
use App\Models\MaskKey;
use App\Runtime\Systems;
use App\Runtime\Treating\Treating;
use Illuminate\Http\JsonResponse;
use Illuminate\Http\RedirectResponse;
use Illuminate\Http\Request;
use Illuminate\View\View;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Port\Explained;
use Lighterman\Core\Port\Sampling;
use Lighterman\Core\Port\SystemTrouble;
use Lighterman\Core\Treatment\Check;
use Lighterman\Core\Treatment\Explode;
use Lighterman\Core\Treatment\FailureLimit;
use Lighterman\Core\Treatment\InvalidTreatment;
use Lighterman\Core\Treatment\Line;
use Lighterman\Core\Treatment\Outcome;
use Lighterman\Core\Treatment\Step\Derive;
use Lighterman\Core\Treatment\Step\Stamp;
use Lighterman\Core\Treatment\Treatment;
use Lighterman\Core\Treatment\WatchRule;

/** The column sheet and the checks of a feed: what is changed is kept as a draft until it is saved as a version. */
final class ColumnsController
{
    public function __construct(private readonly Systems $systems)
    {
    }

    public function show(Request $request, Feed $feed): View
    {
        return view('feeds.columns', $this->told($request, $feed) + ['line' => $request->has('line') ? $request->integer('line') : null]);
    }

    public function checks(Request $request, Feed $feed): View
    {
        return view('feeds.checks', $this->told($request, $feed) + ['counted' => WatchedRecords::of($feed), 'edit' => $request->has('check') ? $request->integer('check') : null, 'kind' => (string) $request->query('kind', '')]);
    }

    /** One line of the sheet, as it is being edited. */
    public function line(Request $request, Feed $feed): JsonResponse|RedirectResponse
    {
        $this->load($feed);
        $number = $request->integer('line');
        try {
            $treatment = DraftBook::treatment($feed);
            $lines = $treatment->sheet($feed->definition->parsed()->carried());
            $was = $lines[$number] ?? throw InvalidTreatment::of('This line is gone: the sheet was changed meanwhile. Reload the page.');
            if ($request->has('remove_line')) {
                unset($lines[$number]);
            } else {
                $lines[$number] = LineInput::line($request, $was);
            }
            DraftBook::keep($feed, ColumnSheet::treatment($treatment, array_values($lines)));
        } catch (InvalidTreatment $e) {
            return $request->expectsJson() ? response()->json(['error' => $e->getMessage()]) : $this->back($request, $feed, $number)->withErrors([$e->getMessage()])->withInput();
        }

        return $request->expectsJson() ? response()->json(['error' => null] + $this->parts($request, $feed)) : $this->back($request, $feed, $request->has('remove_line') || $request->has('done') ? null : $number);
    }

    public function act(Request $request, Feed $feed): RedirectResponse
    {
        $this->load($feed);
        $definition = $feed->definition->parsed();
        $act = (string) $request->input('act');
        try {
            $treatment = DraftBook::treatment($feed);
            $lines = $treatment->sheet($definition->carried());
            $ticked = array_values(array_intersect(array_map(intval(...), (array) $request->input('lines', [])), array_keys($lines)));
            $reordered = false;
            switch ($act) {
                case 'discard':
                    DraftBook::discard($feed);

                    return $this->back($request, $feed)->with('done', 'What was not saved is discarded.');
                case 'save':
                    return $this->save($feed, $treatment);
                case 'mask_found':
                    $lines = $this->maskFound($feed, $definition, $treatment, $lines, $ticked);
                    break;
                case 'rename_pattern':
                    $lines = Renaming::byPattern($lines, $ticked, (string) $request->input('find'), (string) $request->input('put'), (string) $request->input('case'));
                    break;
                case 'rename_list':
                    [$lines, $unknown] = Renaming::byList($lines, (string) $request->input('list'));
                    if ($unknown !== []) {
                        session()->flash('done', 'Renamed; no column is called '.implode(', ', array_slice($unknown, 0, 8)).(count($unknown) > 8 ? '…' : '').'.');
                    }
                    break;
                case 'derive':
                    $lines[] = new Line(null, trim((string) $request->input('name')), [new Derive((string) $request->input('expression'))]);

                    return $this->kept($request, $feed, $treatment, $lines, count($lines) - 1);
                case 'stamp':
                    $lines[] = new Line(null, trim((string) $request->input('name')) ?: (string) $request->input('what'), [new Stamp((string) $request->input('what'))]);
                    break;
                case 'explode':
                    $column = (string) ($lines[$request->integer('line')]->from ?? '');
                    DraftBook::keep($feed, $treatment->exploding(new Explode($column, trim((string) $request->input('number')) ?: "{$column}_no")));

                    return $this->back($request, $feed);
                case 'explode_no_more':
                    DraftBook::keep($feed, $treatment->exploding(null));

                    return $this->back($request, $feed);
                case 'flatten':
                    $lines = Flattening::lines($lines, $request->integer('line'), (string) $request->input('naming'), $request->boolean('rest'), Samples::of($feed, $definition, Samples::way($request->input('sample')), $this->systems), $definition->carried());
                    break;
                case 'up':
                case 'down':
                    $lines = self::moved($lines, $request->integer('line'), $act === 'up' ? -1 : 1);
                    $reordered = true;
                    break;
                default:
                    $lines = LineInput::bulk($lines, $ticked, $act, $request);
            }
        } catch (InvalidTreatment $e) {
            return $this->back($request, $feed)->withErrors([$e->getMessage()])->withInput();
        }

        return $this->kept($request, $feed, $treatment, $lines, null, $reordered);
    }

    /** Outcomes and limits, and one check added, changed or taken away. */
    public function check(Request $request, Feed $feed): RedirectResponse
    {
        $this->load($feed);
        $path = '/feeds/'.rawurlencode($feed->name).'/checks';
        try {
            $treatment = DraftBook::treatment($feed);
            $checks = $treatment->checks;
            $number = $request->input('check_number') === null ? count($checks) : $request->integer('check_number');
            if ($request->input('act') === 'remove') {
                unset($checks[$number]);
            } elseif ($request->input('act') === 'check') {
                $checks[$number] = Check::fromArray(LineInput::check($request));
            }
            $treatment = $treatment->with(checks: array_values($checks));
            DraftBook::keep($feed, match ($request->input('act')) {
                'outcome' => new Treatment($treatment->lines, $treatment->order, $treatment->checks, Outcome::tryFrom((string) $request->input('failing')), FailureLimit::fromArray($request->filled('limit_percent') ? ['percent' => $request->input('limit_percent'), 'of' => $request->input('limit_of') ?: 10_000] : null), $treatment->watch, $treatment->explode),
                'count' => $treatment->with(watch: [...$treatment->watch, WatchRule::fromArray($request->only(['name', 'expression']))]),
                'count_no_more' => $treatment->with(watch: array_values(array_filter($treatment->watch, static fn (WatchRule $w): bool => $w->name !== $request->input('name')))),
                default => $treatment,
            });
        } catch (InvalidTreatment $e) {
            return redirect($path.'?kind='.rawurlencode((string) $request->input('check')).($request->has('check_number') ? '&check='.$request->integer('check_number') : ''))->withErrors([$e->getMessage()])->withInput();
        }

        return $request->input('act') === 'outcome' ? back() : redirect($path);
    }

    public function compare(Request $request, Feed $feed): View
    {
        $feed->load('route.source', 'route.target', 'route.logs', 'definition');
        $versions = $feed->definitions()->latest('version')->get();
        $b = $versions->firstWhere('version', $request->integer('b')) ?? $versions->first();
        $a = $versions->firstWhere('version', $request->integer('a')) ?? $versions->firstWhere('version', $b->version - 1) ?? $versions->last();
        $preparation = $trouble = null;
        if ($a->id !== $feed->definition_id) {
            try {
                $preparation = DraftBook::preparation($feed, $a->parsed(), $this->systems);
            } catch (Explained $e) {
                $trouble = $e;
            }
        }

        return view('feeds.compare', ['feed' => $feed, 'versions' => $versions, 'a' => $a, 'b' => $b, 'rows' => ColumnSheet::difference($a->parsed(), $b->parsed()), 'preparation' => $preparation, 'trouble' => $trouble]);
    }

    public function goBack(Request $request, Feed $feed): RedirectResponse
    {
        $this->load($feed);
        $to = $feed->definitions()->where('version', $request->integer('version'))->firstOrFail();
        DraftBook::goBack($feed, $to, $this->systems);

        return redirect('/feeds/'.rawurlencode($feed->name).'/columns')->with('done', "What version {$to->version} said is now the newest version.");
    }

    private function save(Feed $feed, Treatment $treatment): RedirectResponse
    {
        $before = $feed->definition->parsed();
        $wanted = DraftBook::definition($feed, $treatment);
        DraftBook::save($feed, $wanted, $this->systems);
        $hidden = array_filter($wanted->carried()->names(), static fn (string $c): bool => $wanted->treatment->hides($c) && ! $before->treatment->hides($c));
        $said = 'Saved as version '.$feed->refresh()->load('definition')->definition->version.'; it holds from the next batch.';

        return redirect('/feeds/'.rawurlencode($feed->name).'/columns')->with('done', $hidden === [] || $feed->sequence === 0 ? $said
            : "{$said} Rows that landed before keep ".implode(', ', $hidden).' in clear until they are landed again: load the table again, or start the feed over, on its Set-up page.');
    }

    /**
     * @param  list<Line>  $lines
     * @param  list<int>  $only  lines to mask; all that were found where empty
     * @return list<Line>
     */
    private function maskFound(Feed $feed, FeedDefinition $definition, Treatment $treatment, array $lines, array $only): array
    {
        $sheet = ColumnSheet::of($definition, $treatment, Samples::of($feed, $definition, Sampling::last(), $this->systems), 0, [], MaskKey::secretOf(...), Treating::table(...));
        foreach ($sheet->unmasked() as $found) {
            $n = $found['number'];
            if ($only === [] || in_array($n, $only, true)) {
                $lines[$n] = new Line($lines[$n]->from, $lines[$n]->as, [...$lines[$n]->steps, $found['personal']['mask']]);
            }
        }

        return $lines;
    }

    /**
     * @param  list<Line>  $lines
     * @return list<Line>
     */
    private static function moved(array $lines, int $at, int $by): array
    {
        if (isset($lines[$at], $lines[$at + $by])) {
            [$lines[$at], $lines[$at + $by]] = [$lines[$at + $by], $lines[$at]];
        }

        return $lines;
    }

    /** @param  list<Line>  $lines */
    private function kept(Request $request, Feed $feed, Treatment $treatment, array $lines, ?int $open = null, bool $reordered = false): RedirectResponse
    {
        DraftBook::keep($feed, ColumnSheet::treatment($treatment, $lines, $reordered));

        return $this->back($request, $feed, $open);
    }

    private function back(Request $request, Feed $feed, ?int $line = null): RedirectResponse
    {
        $query = array_filter(['sample' => $request->input('sample'), 'row' => $request->input('row'), 'line' => $line], static fn (mixed $v): bool => $v !== null && $v !== '');

        return redirect('/feeds/'.rawurlencode($feed->name).'/columns'.($query === [] ? '' : '?'.http_build_query($query)));
    }

    private function load(Feed $feed): void
    {
        $feed->loadMissing('route.source', 'route.target', 'route.logs', 'definition');
    }

    /** @return array<string, string> the parts of the page that change while a line is edited */
    private function parts(Request $request, Feed $feed): array
    {
        $told = $this->told($request, $feed) + ['line' => $request->integer('line')];

        return ['sheet' => view('feeds.sheet-part', $told)->render(), 'title' => view('feeds.sheet-title', $told)->render(), 'below' => view('feeds.sheet-below', $told)->render(), 'result' => view('feeds.line-result', $told)->render()];
    }

    /** @return array<string, mixed> */
    private function told(Request $request, Feed $feed): array
    {
        $this->load($feed);
        $definition = $feed->definition->parsed();
        $treatment = DraftBook::treatment($feed);
        $rows = [];
        $trouble = $preparation = $invalid = null;
        $key = array_intersect_key(array_filter((array) $request->input('key'), static fn (mixed $v): bool => is_string($v) && $v !== ''), array_flip($definition->key));
        $which = $key !== [] && count($key) === count($definition->key) ? Sampling::key($key) : Samples::way($request->input('sample'));
        try {
            $rows = Samples::of($feed, $definition, $which, $this->systems);
        } catch (Explained $e) {
            $trouble = $e;
        }
        $sheet = fn (array $rows): ColumnSheet => ColumnSheet::of($definition, $treatment, $rows, $request->integer('row'), Treating::stamps($feed->route->source->name, (int) $feed->last_run_id), MaskKey::secretOf(...), Treating::table(...));
        try {
            $sheet = $sheet($rows);
        } catch (SystemTrouble $e) {
            // A lookup does not answer.
            [$trouble, $sheet] = [$e, $sheet([])];
        }
        $draft = DraftBook::of($feed);
        if ($draft !== null) {
            try {
                $preparation = DraftBook::preparation($feed, DraftBook::definition($feed, $treatment), $this->systems);
            } catch (Explained $e) {
                $invalid = $e;
            }
        }

        return compact('feed', 'definition', 'treatment', 'sheet', 'draft', 'preparation', 'invalid', 'trouble', 'key') + ['sample' => $which->way === 'key' ? '' : $which->way];
    }
}
