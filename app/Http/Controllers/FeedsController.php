<?php

declare(strict_types=1);

namespace App\Http\Controllers;

use App\Feeds\FeedBook;
use App\Feeds\SliceInput;
use App\Feeds\WritingInput;
use App\Models\Feed;
use App\Pages\BehindChart;
use App\Pages\Delays;
use App\Pages\PromiseRecord;
use App\Pages\RowLife;
use App\Pages\TideChart;
use App\Runtime\Common\Systems;
use Illuminate\Contracts\View\View;
use Illuminate\Http\RedirectResponse;
use Illuminate\Http\Request;
use Lighterman\Core\Capture\Kind\CaptureKind;
use Lighterman\Core\Capture\Kind\Kinds;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Definition\Guarantee;
use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Trouble\SystemTrouble;

final class FeedsController
{
    private const PER_PAGE = 100;

    public function index(Request $request): View
    {
        $page = max(1, $request->integer('page', 1));
        $feeds = Feed::listed()->orderBy('name')->forPage($page, self::PER_PAGE)->get();

        return view('feeds.index', ['feeds' => $feeds, 'page' => $page, 'pages' => (int) max(1, ceil(Feed::count() / self::PER_PAGE))]);
    }

    public function show(Request $request, Feed $feed, Systems $systems): View
    {
        $feed->load('route.source', 'route.target', 'route.logs', 'definition');
        $view = $request->hasHeader('X-Part') ? 'feeds.now-part' : 'feeds.now';
        $all = ['feed' => $feed, 'guarantee' => $this->guarantee($feed, $systems)];
        if ($feed->bringsChanges()) {
            $span = TideChart::span($request->query('span'));

            return view($view, $all + ['span' => $span, 'tide' => TideChart::of([$feed->id], $span, $feed->log()), 'delays' => Delays::last([$feed->id], 60), 'kept' => PromiseRecord::of($feed->id),
                'receipts' => $feed->receipts()->latest('id')->limit(12)->get(), 'runs' => $feed->runs()->latest('id')->limit(1)->get()]);
        }
        $hours = match ($request->query('span')) {
            '1h' => 1, '24h' => 24, '7d' => 168, default => 6,
        };

        return view($view, $all + ['hours' => $hours, 'chart' => BehindChart::of($feed, $hours), 'kept' => PromiseRecord::of($feed->id), 'runs' => $feed->runs()->latest('id')->limit(12)->get()]);
    }

    /** How long changes took, by hour. */
    public function delay(Feed $feed): View
    {
        return view('feeds.delay', ['feed' => $feed->load('route.source', 'route.target', 'route.logs', 'definition'), 'hours' => Delays::byHour([$feed->id])]);
    }

    /** Every change to one key. */
    public function life(Request $request, Feed $feed, Systems $systems): View
    {
        $feed->load('route.source', 'route.target', 'route.logs', 'definition');
        $definition = $feed->definition->parsed();
        $key = array_intersect_key(array_filter((array) $request->query('key'), is_string(...)), array_flip($definition->origin->key));
        $told = ['feed' => $feed, 'definition' => $definition, 'key' => $key, 'life' => null, 'trouble' => null, 'siblings' => Feed::where('route_id', $feed->route_id)->whereKeyNot($feed->id)->whereIn('capture', array_map(static fn (CaptureKind $k): string => $k->capture()->value, Kinds::streams()))
            ->whereHas('definition', static fn ($q) => $q->where('body->table', (string) $definition->origin->table)->whereIn('body->landing', array_column(array_filter(Landing::cases(), static fn (Landing $l): bool => $l->keepsPast()), 'value')))->pluck('name')];
        if (RowLife::isKept($definition) && count($key) === count($definition->origin->key)) {
            try {
                $told['life'] = RowLife::of($feed, $definition, $key, $systems);
            } catch (SystemTrouble $trouble) {
                $told['trouble'] = $trouble;
            }
        }

        return view('feeds.life', $told);
    }

    /** Decides what becomes of the copy of a table that was emptied. */
    public function emptied(Request $request, Feed $feed): RedirectResponse
    {
        $what = $request->validate(['what' => 'required|in:carry,keep'])['what'];
        FeedBook::decideEmptied($feed, $what);

        return redirect("/feeds/{$this->path($feed)}")->with('done', $what === 'carry' ? 'The copy is being emptied; what came after lands by itself.' : 'The copy keeps its rows; what came after lands by itself.');
    }

    /** Loads a table, or a part of it, again. */
    public function reload(Request $request, Feed $feed): RedirectResponse
    {
        $given = $request->validate([
            'what' => 'nullable|in:whole,range,keys,column', 'after' => 'array|max:32', 'until' => 'array|max:32', 'after.*' => 'nullable|string|max:2000', 'until.*' => 'nullable|string|max:2000',
            'keys' => 'nullable|string|max:200000', 'column' => 'nullable|string|max:200', 'from' => 'nullable|string|max:2000', 'to' => 'nullable|string|max:2000',
        ]);
        FeedBook::reload($feed, SliceInput::read($given));

        return redirect("/feeds/{$this->path($feed)}")->with('done', $feed->bringsChanges() ? 'The load is asked for; it goes on beside the changes.' : 'The load is asked for.');
    }

    public function runs(Request $request, Feed $feed): View
    {
        $feed->load('route.source', 'route.target', 'route.logs', 'definition');
        $page = max(1, $request->integer('page', 1));

        return view('feeds.runs', ['feed' => $feed, 'page' => $page, 'pages' => (int) max(1, ceil($feed->runs()->count() / 50)), 'runs' => $feed->runs()->latest('id')->forPage($page, 50)->get()]);
    }

    public function setUp(Feed $feed): View
    {
        return view('feeds.set-up', [
            'feed' => $feed->load('route.source', 'route.target', 'route.logs', 'definition'), 'definition' => $feed->definition->parsed(),
            'versions' => $feed->definitions()->latest('version')->get(),
        ]);
    }

    public function change(Request $request, Feed $feed): RedirectResponse
    {
        $given = $request->validate([
            'promise_minutes' => 'required|numeric|min:0.05|max:525600', 'overlap' => 'nullable|integer|min:0|max:31536000', 'truncates' => 'nullable|in:carry,hold',
            'schedule' => 'nullable|in:manual,every,continuous,cron', 'every_minutes' => 'nullable|integer', 'pause_seconds' => 'nullable|integer', 'cron' => 'nullable|string|max:100', 'zone' => 'nullable|string|max:60',
        ]);
        $body = ['promise_seconds' => (int) round($given['promise_minutes'] * 60)]
            + ($feed->bringsChanges() ? array_filter(['truncates' => $given['truncates'] ?? null]) : ['overlap' => (int) ($given['overlap'] ?? 0), 'schedule' => ScheduleInput::read($given)->toArray()])
            + ($feed->landsInFiles() ? ['write_as' => WritingInput::read($request->all())] : [])
            + $feed->definition->body;
        FeedBook::change($feed, FeedDefinition::fromArray($body));

        return redirect("/feeds/{$this->path($feed)}/set-up")->with('done', 'Saved as a new version.');
    }

    /** Accepts the table's present shape. Columns new at the source are carried only if the landed table has or gets them. */
    public function agree(Feed $feed, Systems $systems): RedirectResponse
    {
        $again = FeedBook::agreeToPresent($feed, $systems);

        return redirect("/feeds/{$this->path($feed)}")->with('done', 'The new shape is agreed; the feed goes on from where it stood.'.($again ? ' The table is loaded again meanwhile, for what its rows hold in the columns that are new or of another type.' : ($feed->definition->body['landing'] === 'append' ? ' The journal has what is new from the next change of each row on.' : '')));
    }

    /** Pauses, resumes or runs one or many, or has their files joined. */
    public function act(Request $request): RedirectResponse
    {
        $given = $request->validate(['act' => 'required|in:pause,resume,runNow,joinFiles', 'feeds' => 'required|array|max:2000', 'feeds.*' => 'string']);
        $feeds = Feed::whereIn('name', $given['feeds'])->get();
        $changed = match ($given['act']) {
            'pause' => FeedBook::pause($feeds), 'resume' => FeedBook::resume($feeds), 'runNow' => FeedBook::runNow($feeds), default => FeedBook::joinFiles($feeds),
        };
        $word = ['pause' => 'paused', 'resume' => 'resumed', 'runNow' => 'asked to run', 'joinFiles' => 'asked to join its small files'][$given['act']];
        $whole = $changed === 1 && $feeds->count() === 1 ? "{$feeds[0]->name} is {$word}." : "{$changed} of {$feeds->count()} feeds {$word}.";

        return back()->with('done', $whole);
    }

    public function startOver(Request $request, Feed $feed): RedirectResponse
    {
        if ($request->input('confirm') !== $feed->name) {
            return back()->withErrors(['confirm' => "To start over, type the feed's name, {$feed->name}, exactly."]);
        }
        FeedBook::startOver($feed);

        return redirect("/feeds/{$this->path($feed)}")->with('done', 'The load is cancelled and what it landed is being removed. Resume the feed to load it again.');
    }

    public function destroy(Request $request, Feed $feed): RedirectResponse
    {
        if ($request->input('confirm') !== $feed->name) {
            return back()->withErrors(['confirm' => "To remove the feed, type its name, {$feed->name}, exactly."]);
        }
        FeedBook::remove($feed);

        return redirect('/feeds')->with('done', "{$feed->name} is removed. Its landed table {$feed->landed} stays.");
    }

    /** Null when the source cannot be asked at this moment. */
    private function guarantee(Feed $feed, Systems $systems): ?Guarantee
    {
        try {
            return cache()->remember("guarantee:{$feed->definition_id}", 300, function () use ($feed, $systems): Guarantee {
                $definition = $feed->definition->parsed();
                $source = $systems->source($feed->route->source);
                // What a watermark leaves out may have come since the feed was made.
                $facts = $definition->kind()->takesWatermark() ? $source->facts($definition->origin->table, $definition->origin->key) : null;

                return Guarantee::derive($definition, $source->capabilities(), $systems->target($feed->route->target)->capabilities(), $facts);
            });
        } catch (SystemTrouble) {
            return null;
        }
    }

    private function path(Feed $feed): string
    {
        return rawurlencode($feed->name);
    }
}
