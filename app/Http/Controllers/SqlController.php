<?php

declare(strict_types=1);

namespace App\Http\Controllers;

use App\Feeds\SystemBook;
use App\Models\SavedQuery;
use App\Models\System;
use App\Pages\LandedTables;
use App\Runtime\Common\RunningQuery;
use App\Runtime\Common\Systems;
use App\Support\Audit;
use Illuminate\Contracts\View\View;
use Illuminate\Database\Eloquent\Builder;
use Illuminate\Http\JsonResponse;
use Illuminate\Http\RedirectResponse;
use Illuminate\Http\Request;
use Illuminate\Http\Response;
use Illuminate\Support\Collection;
use Illuminate\Support\Str;
use Lighterman\Connectors\Lake\ResultFile;
use Lighterman\Connectors\Scratch;
use Lighterman\Core\Format\Delimited\Dialect;
use Lighterman\Core\Format\Delimited\Writer;
use Lighterman\Core\Port\QueryResult;
use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Shape\Type;
use Lighterman\Core\Trouble\Explained;
use Lighterman\Core\Trouble\QueryTrouble;
use Lighterman\Core\Trouble\SystemTrouble;
use Symfony\Component\HttpFoundation\BinaryFileResponse;
use Symfony\Component\HttpFoundation\StreamedResponse;

/** Read-only SQL on a target. */
final class SqlController
{
    public function __construct(private readonly Systems $systems, private readonly LandedTables $tables)
    {
    }

    public function show(Request $request): View
    {
        $saved = $request->filled('saved') ? SavedQuery::findOrFail((int) $request->query('saved')) : null;

        return $this->page(['chosen' => $saved->target ?? $request->query('target'), 'sql' => $saved->sql ?? (string) $request->query('sql'), 'opened' => $saved]);
    }

    public function run(Request $request): View|StreamedResponse|BinaryFileResponse|Response
    {
        $most = config('lighterman.query');
        $given = $request->validate(['target' => 'required|string', 'sql' => 'required|string|max:20000', 'as' => 'nullable|in:csv,parquet', 'formulas' => 'nullable|boolean', 'run' => 'nullable|uuid', 'rows' => "nullable|integer|between:1,{$most['most_rows']}", 'seconds' => "nullable|integer|between:1,{$most['most_seconds']}"]);
        $as = $given['as'] ?? null;
        $rows = $as !== null ? $most['download_rows'] : (int) ($given['rows'] ?? $most['row_limit']);
        $seconds = (int) ($given['seconds'] ?? $most['seconds']);
        set_time_limit($seconds + 60);
        $result = $trouble = null;
        Audit::record($as === null ? 'asked' : 'downloaded from', 'system', $given['target'], after: ['statement' => mb_substr($given['sql'], 0, 4000)] + ($as === null ? [] : ['as' => $as]));
        try {
            $asker = $this->systems->asker(self::asked($given['target']));
            $result = RunningQuery::of($given['run'] ?? (string) Str::uuid(), (int) $request->user()?->id, static fn (RunningQuery $q): QueryResult => $asker->query($given['sql'], $rows, $seconds, $q->isStopped(...)));
            if ($as !== null) {
                return $as === 'csv' ? $this->csv($result, (bool) ($given['formulas'] ?? false)) : $this->parquet($result);
            }
        } catch (Explained $e) {
            [$result, $trouble] = [null, $e];
        }
        if ($request->header('X-Part') === 'result') {
            return response()->view('landed.result', compact('result', 'trouble'));
        }

        return $this->page(['chosen' => $given['target'], 'sql' => $given['sql'], 'rows' => $rows, 'seconds' => $seconds, 'result' => $result, 'trouble' => $trouble]);
    }

    /** Stops a query of the same person that runs. */
    public function stop(Request $request): JsonResponse
    {
        return response()->json(['stopping' => RunningQuery::stop($request->validate(['run' => 'required|uuid'])['run'], (int) $request->user()?->id)]);
    }

    /** Keeps a query under a name; one's own of that name is replaced. */
    public function save(Request $request): RedirectResponse
    {
        $given = $request->validate(['name' => 'required|string|max:120', 'target' => 'required|string|max:60', 'sql' => 'required|string|max:20000'], ['name.required' => 'Say what the query is to be called.']);
        $there = SavedQuery::where('name', $given['name'])->first();
        if ($there !== null && $there->person_id !== $request->user()?->id) {
            return back()->withInput()->withErrors(['name' => "{$there->person->name} has a query called {$given['name']}. Choose another name."]);
        }
        $query = SavedQuery::updateOrCreate(['name' => $given['name']], ['target' => self::asked($given['target'])->name, 'sql' => $given['sql'], 'person_id' => $request->user()?->id]);

        return redirect("/landed/sql?saved={$query->id}")->with('done', "{$query->name} is saved.");
    }

    public function forget(SavedQuery $query): RedirectResponse
    {
        $query->delete();

        return redirect('/landed/sql?'.http_build_query(['target' => $query->target, 'sql' => $query->sql]))->with('done', "{$query->name} is no longer saved.");
    }

    /** @param  array<string, mixed>  $more */
    private function page(array $more): View
    {
        $most = config('lighterman.query');

        return view('landed.sql', $more + $this->targets() + ['tables' => $this->tables->all(), 'saved' => SavedQuery::with('person')->orderBy('name')->limit(500)->get(), 'opened' => null, 'rows' => $most['row_limit'], 'seconds' => $most['seconds'], 'result' => null, 'trouble' => null]);
    }

    /**
     * RFC 4180, with an empty field for null and a quoted empty one for an empty text.
     *
     * @param  bool  $formulas  whether texts that a spreadsheet would take for formulas are left as they are
     *
     * @see https://owasp.org/www-community/attacks/CSV_Injection
     */
    private function csv(QueryResult $result, bool $formulas): StreamedResponse
    {
        return response()->streamDownload(static function () use ($result, $formulas): void {
            $columns = array_map(static fn (array $c): Column => new Column($c['name'], Type::parse($c['type'])), $result->columns);
            $numeric = array_column($result->columns, 'numeric');
            $plain = static fn (?string $v, int $i): ?string => ! $formulas && $v !== null && ! ($numeric[$i] ?? false) && preg_match('/^[=+\-@\t\r\n]/', $v) === 1 ? "'{$v}" : $v;
            $writer = new Writer(new Dialect, new Shape(array_map(static fn (Column $c, int $i): Column => new Column((string) $plain($c->name, -1 - $i), $c->type), $columns, array_keys($columns))));
            echo $writer->begin();
            foreach ($result->rows as $row) {
                echo $writer->row(array_map($plain, $row, array_keys($row)));
            }
        }, 'result.csv', ['Content-Type' => 'text/csv; charset=utf-8']);
    }

    private function parquet(QueryResult $result): BinaryFileResponse
    {
        $folder = storage_path('lake/result-'.Str::uuid());
        try {
            $path = (new ResultFile($folder, (int) config('lighterman.lake.memory_mb'), (int) config('lighterman.lake.threads')))->write($result);
            $moved = storage_path('lake/'.Str::uuid().'.parquet');
            rename($path, $moved);
        } finally {
            Scratch::remove($folder);
        }

        return response()->download($moved, 'result.parquet', ['Content-Type' => 'application/vnd.apache.parquet'])->deleteFileAfterSend();
    }

    /** @throws SystemTrouble when nothing of ours has landed there: a source is not asked with the account that reads it */
    private static function asked(string $name): System
    {
        $system = SystemBook::named($name);

        return self::holding()->whereKey($system->id)->exists() ? $system
            : throw QueryTrouble::nothingLanded($name);
    }

    /** @return Builder<System> systems that hold landed tables */
    private static function holding(): Builder
    {
        return System::where(static fn (Builder $q) => $q->whereHas('routesTo.feeds')->orWhereIn('kind', System::kindsKeepingFiles()));
    }

    /** @return array{targets: Collection<int, string>, unasked: Collection<int, string>} names of those that may be asked, and of those that want an account for it */
    private function targets(): array
    {
        [$asked, $not] = self::holding()->orderBy('name')->get()->partition(static fn (System $s): bool => $s->mayBeAsked());

        return ['targets' => $asked->pluck('name'), 'unasked' => $not->pluck('name')];
    }
}
