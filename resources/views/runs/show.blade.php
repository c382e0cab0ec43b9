@extends('layout')
@php
    use App\Support\Say;
    $feed = $run->feed;
    $seconds = $run->seconds();
@endphp
@section('heading', "Run {$run->id} of {$feed->name}")
@section('content')
<div class="title"><h1>Run #{{ $run->id }}</h1><span class="sub">of <a href="/feeds/{{ rawurlencode($feed->name) }}">{{ $feed->name }}</a> · {{ App\Support\Say::kind($run->kind) }} · definition version {{ $run->definition->version }} · {{ $run->why }} · worker <span class="mono">{{ $run->worker }}</span></span></div>
@if ($run->trouble)<div class="note trouble" role="alert"><p class="strong">{{ $run->trouble->message }}</p><p>@include('parts.remedy', ['remedy' => $run->trouble->remedy, 'feed' => $run->feed])</p></div>@endif
@if ($run->state === 'lost')<div class="note caution">The worker ended without a word. What it had committed stands; the feed went on from its last receipt.</div>@endif
<div class="columns-2">
    <div class="stack">
        @if ($run->kind === App\Models\Run::JOIN)
        <section class="sheet pad"><h2>Files</h2><p>{{ $run->window_from === null ? 'No files were joined.' : "{$run->window_from} before, {$run->window_to} after." }} Rows, position and receipts stayed as they were. Files that were joined lie there for a quarter of an hour more, for whoever is reading them.</p></section>
        @else
        <section class="sheet pad">
            <h2>Rows</h2>
            @if ($run->empty_runs)
                <p>Nothing new was found{{ $run->empty_runs > 1 ? ', '.Say::count($run->empty_runs).' times in a row' : '' }}. One query, {{ Say::took($run->reading_ms / 1000 / $run->empty_runs) }} each; nothing was written.</p>
            @else
            <div class="table-box" tabindex="0" role="region" aria-label="Figures"><table class="rows"><caption class="hidden-text">Counts</caption>
                <thead><tr><th class="num">Read</th><th class="num">Inserted</th><th class="num">Updated</th><th class="num">Unchanged</th><th class="num">Dropped</th><th class="num">Set aside</th><th class="num">{{ $run->bringsChanges() ? 'Deleted' : 'Replaced rows removed' }}</th>@if ($run->bringsChanges())<th class="num" title="made needless by a later change to the same key">Superseded</th>@endif<th>Sum</th></tr></thead>
                <tbody><tr>@foreach (['read', 'inserted', 'updated', 'unchanged', 'dropped', 'set_aside', 'deleted', ...($run->superseded || $run->bringsChanges() ? ['superseded'] : [])] as $count)<td class="num">{{ Say::count($run->{$count}) }}</td>@endforeach
                <td class="{{ $run->addsUp() ? 'r-passed' : 'r-failed' }}">{{ Say::count($run->read) }} = {{ Say::count($run->delivered()) }} + {{ Say::count($run->unchanged) }}@if ($run->superseded || $run->bringsChanges()) + {{ Say::count($run->superseded) }}@endif + {{ Say::count($run->dropped) }} + {{ Say::count($run->set_aside) }} {{ $run->addsUp() ? '✓' : 'does not add up' }}</td></tr></tbody></table></div>
            <p class="faded small" style="margin-top: 6px">read = delivered + unchanged @if ($run->superseded || $run->bringsChanges())+ superseded @endif + dropped + set aside @if ($run->warned)· {{ Say::count($run->warned) }} of those delivered landed with a warning @endif @if ($run->set_aside)· <a href="/feeds/{{ rawurlencode($feed->name) }}/set-aside">what was set aside</a>@endif</p>
            @endif
        </section>
        <section class="sheet table-box" tabindex="0" role="region" aria-label="Figures">
            @if ($receipts->isEmpty())
                <div class="empty"><p>No receipt: nothing was committed by this run.</p></div>
            @else
            <table class="rows" x-data="rows"><caption class="hidden-text">Receipts</caption>
                <thead><tr><th>Receipt</th><th>Landed at</th><th>From → to</th><th class="num">Read</th><th class="num">Inserted</th><th class="num">Updated</th><th class="num">Unchanged</th><th class="num">Bytes</th><th>Checksum</th></tr></thead>
                <tbody>@foreach ($receipts as $r)<tr tabindex="0" data-text="{{ $r->sequence }}"><td class="mono">{{ $r->number() }}</td><td title="{{ Say::exactly($r->landed_at) }}">{{ Say::at($r->landed_at) }}</td><td class="mono clip" title="{{ $r->from() }} → {{ $r->to() }}">{{ Say::window((string) $r->from(), (string) $r->to()) }}</td><td class="num">{{ Say::count($r->read) }}</td><td class="num">{{ Say::count($r->inserted) }}</td><td class="num">{{ Say::count($r->updated) }}</td><td class="num">{{ Say::count($r->unchanged) }}</td><td class="num" title="{{ Say::count($r->bytes) }} bytes">{{ Say::bytes($r->bytes) }}</td><td class="mono faded" title="{{ $r->first_sequence === null ? 'xxh128' : 'SHA-256 over their checksums' }} {{ $r->checksum }}">{{ substr($r->checksum, 0, 10) }}</td></tr>@endforeach</tbody></table>
            @if ($of > $receipts->count())<p class="pad small">Receipts {{ Say::count($passed + 1) }} to {{ Say::count($passed + $receipts->count()) }} of {{ Say::count($of) }}.@if ($passed) <a href="/runs/{{ $run->id }}">The first ones</a>.@endif @if ($passed + $receipts->count() < $of) <a href="/runs/{{ $run->id }}?after={{ $receipts->last()->sequence }}">Those after them</a>.@endif</p>@endif
            <p class="pad small {{ $joins ? 'r-passed' : 'r-failed' }}">{{ $joins ? 'Each receipt begins where the one before it ended.' : 'The receipts do not join: a gap or an overlap lies between two of them.' }}</p>
            @endif
        </section>
        @endif
        <section class="sheet pad"><h2>Log</h2>
            @forelse ($run->lines as $line)<div class="small level-{{ $line->level }}" style="padding: 3px 0"><span class="mono faded" title="{{ Say::exactly($line->at) }}">{{ Say::at($line->at) }}</span> {{ $line->said }}</div>@empty<p class="faded small">Nothing was worth a line.</p>@endforelse
        </section>
    </div>
    <section class="sheet pad">
        <div class="faded small">{{ $run->state }}</div>
        <div class="big">{{ Say::took($seconds) }}</div>
        <dl class="facts" style="margin-top: 10px">
            @if ($run->kind === App\Models\Run::JOIN)
            <div><dt>Started</dt><dd title="{{ Say::exactly($run->started_at) }}">{{ Say::at($run->started_at) }}</dd></div>
            <div><dt>Ended</dt><dd title="{{ Say::exactly($run->ended_at) }}">{{ Say::at($run->ended_at) }}</dd></div>
            @else
            <div><dt>From</dt><dd class="mono small">{{ $run->window_from }}</dd></div>
            <div><dt>To</dt><dd class="mono small">{{ $run->window_to }}</dd></div>
            <div><dt>Started</dt><dd title="{{ Say::exactly($run->started_at) }}">{{ Say::at($run->started_at) }}</dd></div>
            <div><dt>Ended</dt><dd title="{{ Say::exactly($run->ended_at) }}">{{ Say::at($run->ended_at) }}</dd></div>
            <div><dt>Reading</dt><dd>{{ Say::took($run->reading_ms / 1000) }}</dd></div>
            <div><dt>Treating</dt><dd>{{ Say::took($run->treating_ms / 1000) }}</dd></div>
            <div><dt>Landing</dt><dd>{{ Say::took($run->landing_ms / 1000) }}</dd></div>
            <div><dt>Bytes</dt><dd title="{{ Say::count($run->bytes) }}">{{ Say::bytes($run->bytes) }}</dd></div>
            <div><dt>Rate</dt><dd>{{ $run->read && $seconds > 0 ? Say::short($run->read / $seconds).' rows/s' : '—' }}</dd></div>
            <div><dt>Batches</dt><dd>{{ Say::count($run->batches) }}</dd></div>
            @endif
        </dl>
    </section>
</div>
@endsection
