<?php

declare(strict_types=1);

namespace App\Http\Controllers;

use App\Feeds\FeedBook;
use App\Feeds\GridLine;
use App\Feeds\SystemBook;
use App\Feeds\WritingInput;
use App\Models\Feed;
use App\Models\System;
use App\Runtime\Common\Systems;
use Illuminate\Contracts\View\View;
use Illuminate\Http\JsonResponse;
use Illuminate\Http\RedirectResponse;
use Illuminate\Http\Request;
use Illuminate\Validation\Rule;
use Lighterman\Connectors\Files\FilesSource;
use Lighterman\Core\Capture\Capture;
use Lighterman\Core\Capture\Slice;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Definition\Schedule;
use Lighterman\Core\Format\Rows\ValueForm;
use Lighterman\Core\Landing\Deletes;
use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Port\Preparation;
use Lighterman\Core\Position\StartPosition;
use Lighterman\Core\Record\Unreadable;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Trouble\Explained;
use LogicException;

/** From choosing tables to starting their feeds: tables, grid, rehearsal, start. Each step carries on what was typed before. */
final class NewFeedsController
{
    private const FIELDS = ['table', 'name', 'capture', 'watermark', 'key', 'landing', 'landed', 'promise_minutes', 'leave_out', 'partition_by', 'deletes', 'take_over', 'format', 'delimiter', 'quote', 'encoding', 'header', 'decimal', 'null_text', 'changed', 'checksum', 'quiet', 'fit', 'types', 'dates', ...WritingInput::FIELDS];

    public function __construct(private readonly Systems $systems)
    {
    }

    public function tables(Request $request): View
    {
        $all = System::orderBy('name')->get();
        $source = $all->firstWhere('name', $request->query('source'));
        $target = $all->firstWhere('name', $request->query('target'));
        $catalogue = $trouble = null;
        if ($source !== null && $target !== null) {
            try {
                $reader = $this->systems->source($source);
                $catalogue = $request->boolean('each') && $reader instanceof FilesSource ? $reader->each() : $reader->catalogue();
            } catch (Explained $e) {
                $trouble = $e;
            }
        }
        $carried = $source === null || $target === null ? [] : Feed::whereHas('route', fn ($q) => $q->where('source_id', $source->id)->where('target_id', $target->id))->with('definition')->get()->mapWithKeys(static fn (Feed $f): array => [$f->definition->body['table'] => $f->name])->all();

        return view('new.tables', compact('all', 'source', 'target', 'catalogue', 'trouble', 'carried'));
    }

    public function sample(Request $request): View
    {
        $given = $request->validate(['source' => 'required|string', 'table' => 'required|string|max:1000']);
        $trouble = null;
        $rows = [];
        try {
            $rows = $this->systems->source(SystemBook::named($given['source']))->sample(TableName::parse($given['table']), 50);
        } catch (Explained $e) {
            $trouble = $e;
        }

        return view('new.sample', ['table' => $given['table'], 'rows' => $rows, 'trouble' => $trouble]);
    }

    public function grid(Request $request): View
    {
        [$source, $target] = $this->ends($request);
        $typed = $request->has('lines') ? $this->typed($request) : array_map(static fn (string $t): array => ['table' => $t], $this->chosen($request));

        return $this->gridView($request, $source, $target, $typed);
    }

    /** @return list<string> tables that were ticked, and patterns of files that were typed */
    private function chosen(Request $request): array
    {
        $request->merge(['tables' => array_filter((array) $request->input('tables'))]);

        return array_values($request->validate(['tables' => 'required|array|min:1|max:500', 'tables.*' => 'string|max:1000'], ['tables.required' => 'Tick at least one table.'])['tables']);
    }

    public function judge(Request $request): JsonResponse
    {
        [$source, $target] = $this->ends($request);
        $advice = [];
        foreach ($this->typed($request) as $number => $typed) {
            $advice[$number] = view('new.advice', ['line' => GridLine::of($typed, $source, $target, $this->systems)])->render();
        }

        return response()->json($advice);
    }

    public function rehearse(Request $request): View
    {
        [$source, $target] = $this->ends($request);
        $lines = $this->lines($request, $source, $target);
        $rehearsed = [];
        foreach ($lines as $line) {
            if ($line->definition === null) {
                return $this->gridView($request, $source, $target, array_map(static fn (GridLine $l): array => $l->typed, $lines), 'Mend the lines marked below, then rehearse again.');
            }
            $rehearsed[] = $this->rehearsal($line->definition, $source, $target);
        }

        return view('new.rehearse', compact('source', 'target', 'lines', 'rehearsed') + ['schedule' => $request->only(['schedule', 'every_minutes', 'pause_seconds', 'cron', 'zone'])]);
    }

    public function store(Request $request): View|RedirectResponse
    {
        [$source, $target] = $this->ends($request);
        $lines = $this->lines($request, $source, $target);
        try {
            $definitions = array_map(static fn (GridLine $l): FeedDefinition => $l->definition ?? throw $l->trouble ?? new LogicException('A line has a definition or a trouble.'), $lines);
            $schedule = ScheduleInput::read($request->all());
            $definitions = array_map(static fn (FeedDefinition $d): FeedDefinition => FeedDefinition::fromArray(['schedule' => $schedule->toArray()] + $d->toArray()), $definitions);
            $paused = $request->boolean('paused');
            $feeds = FeedBook::create($source, $target, $definitions, $paused);
        } catch (Explained $trouble) {
            return $this->gridView($request, $source, $target, array_map(static fn (GridLine $l): array => $l->typed, $lines), $trouble->getMessage().' '.$trouble->remedy());
        }

        $what = count($feeds) === 1 ? "{$feeds[0]->name} is" : count($feeds).' feeds are';

        return redirect(count($feeds) === 1 ? '/feeds/'.rawurlencode($feeds[0]->name).($paused ? '/columns' : '') : '/watch')->with('done', $paused ? "{$what} created and paused. Resume once the columns are as you want them." : "{$what} started.");
    }

    /** @param  array<int, array<string, string>>  $typed */
    private function gridView(Request $request, System $source, System $target, array $typed, ?string $said = null): View
    {
        $lines = array_map(fn (array $t): GridLine => GridLine::of($t, $source, $target, $this->systems), $typed);
        // What was typed wins over what is old: this page is answered to a POST.
        $request->flash();

        return view('new.grid', compact('source', 'target', 'lines', 'said') + ['schedule' => $request->has('schedule') ? rescue(static fn () => ScheduleInput::read($request->all()), static fn () => Schedule::everyMinutes(5), false) : Schedule::everyMinutes(5)]);
    }

    /** @return array{definition: FeedDefinition, preparation: Preparation|null, rows: list<array<string, string|null>>, unreadable: list<Unreadable>, count: int, whole: bool, trouble: Explained|null, atSource: list<string>} */
    private function rehearsal(FeedDefinition $definition, System $source, System $target): array
    {
        $told = ['definition' => $definition, 'preparation' => null, 'rows' => [], 'unreadable' => [], 'count' => 0, 'whole' => true, 'trouble' => null, 'atSource' => []];
        try {
            $told['preparation'] = $this->systems->target($target)->prepare($definition->landedTable());
            if ($definition->kind()->bringsChanges()) {
                $log = $this->systems->logBetween($source, $target, $definition->origin->capture);
                $chunk = $log->chunk($definition, Slice::whole(), 8);

                return ['atSource' => $log->statements([$definition->origin->table]), 'rows' => array_map(static fn (array $row): array => array_combine($definition->carried()->names(), $row), $chunk->rows), 'count' => count($chunk->rows), 'whole' => $chunk->last] + $told;
            }
            $plan = $this->systems->source($source)->plan($definition, new StartPosition, null);
            if ($plan->empty) {
                return $told;
            }
            $reader = $this->systems->source($source)->reader($definition, $plan);
            try {
                $batch = $reader->next();
            } finally {
                $reader->close();
            }
            if ($batch !== null) {
                $told['count'] = $batch->rows;
                $told['unreadable'] = $batch->unreadable;
                $told['whole'] = $batch->stretch->closes && $batch->stretch->to->equals($plan->end());
                foreach ($batch->decoded() as $row) {
                    $told['rows'][] = array_combine($batch->shape->names(), $row);
                    if (count($told['rows']) === 8) {
                        break;
                    }
                }
            }
        } catch (Explained $trouble) {
            $told['trouble'] = $trouble;
        }

        return $told;
    }

    /** @return list<GridLine> */
    private function lines(Request $request, System $source, System $target): array
    {
        return array_values(array_map(fn (array $t): GridLine => GridLine::of($t, $source, $target, $this->systems), $this->typed($request)));
    }

    /** @return array<array<string, string>> */
    private function typed(Request $request): array
    {
        $lines = $request->validate(['lines' => 'required|array|min:1|max:500', 'lines.*.table' => 'required|string|max:1000', 'lines.*.capture' => [Rule::enum(Capture::class)], 'lines.*.landing' => [Rule::enum(Landing::class)], 'lines.*.deletes' => [Rule::enum(Deletes::class)]])['lines'];

        return array_map(static fn (int|string $n): array => array_map(strval(...), array_intersect_key(self::withTypes($request->input("lines.{$n}")), array_flip(self::FIELDS))), array_combine(array_keys($lines), array_keys($lines)));
    }

    /**
     * The types that somebody chose for columns of files, and how their dates are written, each as one field; what was found
     * stays open. Who says how dates are written says that they are dates.
     *
     * @param  array<string, mixed>  $line
     * @return array<string, mixed>
     */
    private static function withTypes(array $line): array
    {
        if (! is_array($line['types'] ?? null)) {
            return $line;
        }
        $types = $dates = [];
        foreach (array_filter((array) ($line['columns'] ?? []), is_string(...)) as $i => $column) {
            $date = $line['dates'][$i] ?? '';
            $type = $line['types'][$i] ?? null;
            if (is_string($date) && isset(ValueForm::DATES[$date])) {
                [$types[$column], $dates[$column]] = ['date', $date];
            } elseif (is_string($type) && $type !== ($line['found'][$i] ?? null)) {
                $types[$column] = $type;
            }
        }

        return array_map(static fn (array $chosen): string => $chosen === [] ? '' : json_encode($chosen, JSON_THROW_ON_ERROR | JSON_UNESCAPED_UNICODE), ['types' => $types, 'dates' => $dates]) + $line;
    }

    /** @return array{System, System} */
    private function ends(Request $request): array
    {
        $given = $request->validate(['source' => 'required|string', 'target' => 'required|string']);

        return [SystemBook::named($given['source']), SystemBook::named($given['target'])];
    }
}
