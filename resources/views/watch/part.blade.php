@php
    use App\Pages\{Charts, Lanes, PromiseRecord};
    use App\Support\Say;
    $states = $frame->byState();
    $total = array_sum($states);
@endphp
<div class="title">
    <h1>Watch</h1>
    <span class="sub">{{ Say::count($total) }} {{ $total === 1 ? 'feed' : 'feeds' }}@foreach (['on time', 'late', 'failed', 'held', 'loading', 'paused', 'new'] as $s)@if (isset($states[$s])) · {{ Say::count($states[$s]) }} {{ $s }}@endif @endforeach @if (($kept = PromiseRecord::all())->share() !== null) · <span title="{{ ($left = Say::leftOut($kept)) === '' ? 'Every minute of every feed counts' : 'Not counted: '.$left }}">promise kept {{ Say::share($kept->share()) }} in 24 h</span> @endif</span>
    <div class="acts">@can('change')<a class="button primary" href="/feeds/new">New feeds</a>@endcan</div>
</div>
@include('parts.workers')
<div class="columns-2">
    <div class="sheet table-box">
        @if ($total === 0)
            <div class="empty"><p><strong>Nothing is carried yet.</strong></p><p>Choose tables of a system and where they are to land.</p>@can('change')<p><a class="button primary" href="/feeds/new">New feeds</a></p>@endcan</div>
        @else
        <table class="rows lanes" x-data="rows">
            <caption class="hidden-text">Feeds by route</caption>
            <thead><tr><th>Feed</th><th>Capture</th><th>State</th><th class="num">Behind</th><th class="num">Promise</th><th>Behind, last 6 h</th><th class="num">Rows today</th><th class="num" title="Rows known to wait at the source">Waiting</th><th class="num" title="Records set aside that wait for a decision">Set aside</th><th class="num">Landed</th><th>Next</th></tr></thead>
            <tbody>
            @foreach ($lanes->feeds->groupBy('route_id') as $group)
                @php $route = $group->first()->route; @endphp
                <tr class="group"><td colspan="3"><a href="/routes/{{ $route->id }}">{{ $route->source->name }} → {{ $route->target->name }}</a></td><td colspan="8" class="faded">{{ $group->groupBy('capture')->map->count()->map(fn ($n, $c) => "$n by $c")->implode(' · ') }}</td></tr>
                @foreach ($group as $feed)
                    @php
                        $state = $feed->state();
                        $behind = $feed->behind();
                        $load = $feed->loading();
                        $done = $load->rows ?? 0;
                        $of = $load?->of;
                        $left = $of === null ? null : max(0, $of - $done);
                        $body = $feed->definition->body;
                    @endphp
                    <tr tabindex="0" data-text="{{ $feed->name }}">
                        <td class="clip"><a href="/feeds/{{ rawurlencode($feed->name) }}" title="{{ $body['table'] }} → {{ $feed->landed }}">{{ App\Support\Say::name($feed->name, 26) }}</a></td>
                        <td class="faded">{{ $feed->capture }}</td>
                        <td>{{ App\Support\Mark::state($state) }}</td>
                        <td class="num {{ in_array($state, ['late', 'failed'], true) ? 'strong' : '' }}">@if ($state === 'loading')first load @if ($of){{ min(99, (int) (100 * $done / max(1, $of))) }} %@endif @else<span title="{{ $behind === null ? '' : number_format($behind, 1).' s' }}">{{ Say::span($behind) }}</span>@endif</td>
                        <td class="num faded">{{ Say::span((float) $feed->promise_seconds) }}</td>
                        <td><svg class="spark" viewBox="0 0 150 24" role="img" aria-label="Time behind over six hours"><line class="limit" x1="0" x2="150" y1="12" y2="12"/><path class="run" d="{{ Charts::spark($lanes->sparks[$feed->id] ?? [], (float) $feed->promise_seconds) }}"/></svg></td>
                        <td class="num">{{ Say::count($lanes->today[$feed->id] ?? 0) }}</td>
                        <td class="num">@if ($feed->bringsChanges() && ! $feed->waiting && ($unseen = Say::unseen($feed->log())) !== '')<span class="{{ $feed->log()?->isRead() ? 'faded' : 'warn' }}" title="The source's changes are {{ $unseen }}">?</span>@elseif ($feed->bringsChanges() && $state !== 'loading')<span class="{{ $feed->waiting ? '' : 'faded' }}" title="Changes in the spool">{{ Say::short($feed->waiting) }}</span>@elseif ($left !== null)<span title="by the source's own estimate">{{ Say::short($left) }}</span>@else<span class="faded" title="A {{ $feed->capture }} does not tell how many rows wait">—</span>@endif</td>
                        <td class="num">@if ($n = $lanes->aside[$feed->id] ?? 0)<a class="warn" href="/feeds/{{ rawurlencode($feed->name) }}/set-aside">{{ Say::count($n) }}</a>@else<span class="faded">0</span>@endif</td>
                        <td class="num faded"><span title="{{ Say::exactly($feed->last_landed_at) }}">{{ Say::at($feed->last_landed_at) }}</span></td>
                        <td class="faded">@include('parts.next')</td>
                    </tr>
                @endforeach
            @endforeach
            </tbody>
        </table>
        @include('parts.pages', ['page' => $lanes->page, 'pages' => $lanes->pages])
        @endif
    </div>
    <div class="stack">
        @include('parts.decisions-short', ['waiting' => App\Pages\Decisions::waiting(6), 'aside' => App\Pages\Decisions::aside()->take(4)])
        <section class="sheet pad">
            @php $hours = Lanes::byHour(); @endphp
            <h2>Carried today</h2>
            <svg class="chart" viewBox="0 0 256 112" role="img" aria-label="{{ Say::count(array_sum($hours)) }} rows carried today, by hour">
                <text x="0" y="10">{{ Say::count(array_sum($hours)) }} rows</text>
                @foreach ($hours as $h => $n)
                    @php $tall = 70 * $n / max(1, max($hours)); @endphp
                    <rect class="bar {{ $loop->last ? 'now' : '' }}" x="{{ $h * 10.6 }}" y="{{ round(92 - max($tall, $n ? 1 : 0), 1) }}" width="8.2" height="{{ round(max($tall, $n ? 1 : 0), 1) }}"><title>{{ sprintf('%02d:00', $h) }}: {{ Say::count($n) }} rows</title></rect>
                @endforeach
                <line class="axis" x1="0" x2="256" y1="92.5" y2="92.5"/>
                <text x="0" y="107">00:00</text><text x="127" y="107" text-anchor="middle">12:00</text><text x="256" y="107" text-anchor="end">{{ Say::zone() }}</text>
            </svg>
        </section>
        <section class="sheet pad">
            <h2>Just now</h2>
            @forelse (Lanes::justNow() as $receipt)
                <div class="small" style="padding: 4px 0; border-top: 1px solid var(--hair)"><span class="mono faded">{{ Say::at($receipt->landed_at) }}</span> <a class="strong" href="/runs/{{ $receipt->run_id }}">{{ $receipt->feed_name }}</a> <span class="faded">landed {{ Say::rows($receipt->inserted + $receipt->updated) }}@if ($receipt->deleted), {{ $receipt->to() instanceof Lighterman\Core\Position\StreamPosition ? 'deleted' : 'replaced' }} {{ Say::short($receipt->deleted) }}@endif</span></div>
            @empty
                <p class="faded">Nothing has landed yet.</p>
            @endforelse
        </section>
    </div>
</div>
