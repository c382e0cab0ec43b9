<?php

declare(strict_types=1);

namespace App\Http\Controllers;

use App\Feeds\AsideDesk;
use App\Models\Feed;
use App\Models\SetAside;
use App\Support\Audit;
use Carbon\CarbonImmutable;
use Illuminate\Contracts\View\View;
use Illuminate\Database\Eloquent\Builder;
use Illuminate\Http\RedirectResponse;
use Illuminate\Http\Request;
use Symfony\Component\HttpFoundation\StreamedResponse;

/** Records of a feed that were set aside. */
final class SetAsideController
{
    private const PER_PAGE = 50;

    public function index(Request $request, Feed $feed): View
    {
        $feed->load('route.source', 'route.target', 'route.logs', 'definition');
        $which = $this->filtered($request, $feed);
        $page = max(1, $request->integer('page', 1));
        $count = $this->state($request) === 'waiting' && ! $request->filled('reason') && ! $request->filled('holds') ? $feed->recordsWaiting() : $which->count();

        return view('feeds.set-aside', ['feed' => $feed, 'groups' => AsideDesk::groups($feed->id), 'count' => $count, 'records' => $which->latest('id')->forPage($page, self::PER_PAGE)->get(), 'page' => $page,
            'pages' => (int) max(1, ceil($count / self::PER_PAGE)), 'reason' => (string) $request->query('reason', ''), 'state' => $this->state($request), 'holds' => (string) $request->query('holds', '')]);
    }

    public function show(Feed $feed, int $record): View
    {
        return view('feeds.set-aside-one', ['feed' => $feed->load('route.source', 'route.target', 'route.logs', 'definition'), 'record' => $one = $this->one($feed, $record), 'whole' => null, 'text' => self::isOpen($feed) ? $one->whole()[SetAside::TEXT] ?? null : null]);
    }

    /** With what masks hide; that somebody looked is written down. */
    public function reveal(Feed $feed, int $record): View
    {
        $one = $this->one($feed, $record);
        Audit::record('looked at what masks hide in a set-aside record of', 'feed', $feed->name, null, ['record' => $one->id]);

        return view('feeds.set-aside-one', ['feed' => $feed->load('route.source', 'route.target', 'route.logs', 'definition'), 'record' => $one, 'whole' => $one->whole(), 'text' => $one->whole()[SetAside::TEXT] ?? null]);
    }

    public function edit(Request $request, Feed $feed, int $record): RedirectResponse
    {
        $one = $this->one($feed, $record);
        $values = [];
        $whole = $one->whole();
        foreach ((array) $request->input('values', []) as $column => $value) {
            $value = self::asHeld((string) $value, $whole[$column] ?? null);
            // Who types a value need not take the tick away as well that said there was none.
            $typed = $value !== '' && $value !== ($one->record[$column] ?? null);
            $values[(string) $column] = ! $typed && array_key_exists($column, (array) $request->input('null', [])) ? null : $value;
        }
        AsideDesk::edit($one, $values);
        if ($request->has('send')) {
            AsideDesk::send($feed->load('route'), SetAside::whereKey($one->id)->where('feed_id', $feed->id));
        }

        return redirect('/feeds/'.rawurlencode($feed->name).'/set-aside'.($request->has('send') ? '' : "/{$one->id}"))->with('done', $request->has('send') ? 'The record is sent again with the next batch.' : 'The record is changed. Rehearse it, then send it again.');
    }

    /** What was typed; a value that nobody has touched as it is held, whatever a form does to the ends of its lines. */
    private static function asHeld(string $typed, string|false|null $held): string
    {
        $lines = static fn (string $text): string => str_replace(["\r\n", "\r"], "\n", $text);

        return is_string($held) && $lines($typed) === $lines($held) ? $held : $typed;
    }

    public function act(Request $request, Feed $feed): RedirectResponse
    {
        $given = $request->validate(['act' => 'required|in:send,let_go,edit', 'column' => 'nullable|string|max:200', 'value' => 'nullable|string|max:100000', 'records' => 'array|max:1000', 'records.*' => 'integer', 'all' => 'nullable|boolean', 'note' => 'nullable|string|max:500']);
        $which = $request->boolean('all') ? $this->filtered($request, $feed) : SetAside::where('feed_id', $feed->id)->whereIn('id', $given['records'] ?? []);
        if ($given['act'] === 'let_go' && trim((string) ($given['note'] ?? '')) === '') {
            return back()->withErrors(['note' => 'Say why they are let go: the note stays with them.']);
        }
        $feed->load('route', 'definition');
        if ($given['act'] === 'edit') {
            if (! in_array($given['column'] ?? '', $feed->definition->parsed()->carried()->names(), true)) {
                return back()->withErrors(['column' => 'Choose the column whose value is to be set.']);
            }
            $n = AsideDesk::editMany($which, (string) $given['column'], $request->boolean('null') ? null : (string) ($given['value'] ?? ''));

            return back()->with('done', "{$given['column']} is set in ".($n === 1 ? '1 record.' : "{$n} records.").' Send them again when they are as they should be.');
        }
        $n = $given['act'] === 'send' ? AsideDesk::send($feed, $which) : AsideDesk::letGo($feed, $which, trim((string) $given['note']));
        $records = $n === 1 ? '1 record' : "{$n} records";

        return redirect('/feeds/'.rawurlencode($feed->name).'/set-aside')->with('done', match (true) {
            $n === 0 => 'Nothing of what was chosen waits any more.',
            $given['act'] === 'send' => "{$records} will be sent again, in their order, with the next batch.".($feed->paused_at === null ? '' : ' The feed is paused; resume it first.'),
            default => "{$records} let go.",
        });
    }

    /** As JSON Lines: what masks hide is left out. */
    public function export(Request $request, Feed $feed): StreamedResponse
    {
        $which = $this->filtered($request, $feed)->orderBy('id');

        Audit::record('exported set-aside records of', 'feed', $feed->name, after: ['chosen by' => array_keys(array_filter($request->query()))]);

        return response()->streamDownload(static function () use ($which): void {
            // What is JSON already goes out as it is kept; there may be very many.
            foreach ($which->toBase()->lazyById(5000) as $r) {
                $told = ['id' => $r->id, 'state' => SetAside::standingOf($r->state, $r->overtaken_by), 'run' => $r->run_id, 'position' => $r->position, 'step' => $r->step, 'reason' => $r->reason, 'message' => $r->message, 'at' => CarbonImmutable::parse($r->at)->toIso8601String(), 'note' => $r->note];
                echo substr(json_encode($told, JSON_THROW_ON_ERROR | JSON_UNESCAPED_UNICODE | JSON_UNESCAPED_SLASHES), 0, -1), ",\"record\":{$r->record},\"at_step\":{$r->at_step}}\n";
            }
        }, 'set-aside.jsonl', ['Content-Type' => 'application/jsonl']);
    }

    /** Whether no mask hides anything of what a line of the feed's files says. */
    private static function isOpen(Feed $feed): bool
    {
        $definition = $feed->definition->parsed();

        return array_filter($definition->carried()->names(), $definition->treatment->hides(...)) === [];
    }

    private function one(Feed $feed, int $record): SetAside
    {
        return SetAside::of($feed)->with('feed', 'definition')->findOrFail($record);
    }

    private function state(Request $request): string
    {
        return in_array($request->query('state'), ['asked', 'sent', 'let go', 'overtaken'], true) ? (string) $request->query('state') : 'waiting';
    }

    /** @return Builder<SetAside> */
    private function filtered(Request $request, Feed $feed): Builder
    {
        $which = SetAside::of($feed);
        $state = $this->state($request);
        $state === 'overtaken' ? $which->whereNotNull('overtaken_by')->whereIn('state', ['waiting', 'asked']) : $which->where('state', $state)->when(in_array($state, ['waiting', 'asked'], true), static fn ($q) => $q->whereNull('overtaken_by'));
        if ($request->filled('reason')) {
            $which->where('reason', (string) $request->query('reason', $request->input('reason')));
        }
        if ($request->filled('holds')) {
            $like = '%'.addcslashes((string) $request->query('holds', $request->input('holds')), '%_\\').'%';
            $which->where(static fn ($q) => $q->where('message', 'ilike', $like)->orWhere('key', 'ilike', $like));
        }

        return $which;
    }
}
