@php
    use App\Support\{Progress, Say};
    $state = $feed->state();
    $slug = str_replace(' ', '-', $state);
@endphp
@include('feeds.head', ['tab' => 'Now'])
<div class="columns-2">
    <div class="stack">
        @if ($feed->standing === 'loading' && $feed->progress)
            @php $share = ($feed->progress['of'] ?? 0) ? min(0.99, $feed->progress['rows'] / $feed->progress['of']) : null; @endphp
            <section class="sheet pad">
                <div style="display: flex"><h2>First load</h2>@can('change')<a style="margin-left: auto" class="small" href="/feeds/{{ rawurlencode($feed->name) }}/set-up#start-over">Cancel the load…</a>@endcan</div>
                <div class="progress-line" role="progressbar" aria-label="First load" aria-valuenow="{{ (int) (100 * $share) }}" aria-valuemin="0" aria-valuemax="100"><i style="width: {{ round(100 * ($share ?? 0), 1) }}%"></i></div>
                <p style="margin-top: 6px">{{ Say::count($feed->progress['rows']) }} rows landed @if ($feed->progress['of']) of about {{ Say::short($feed->progress['of']) }}@endif @if ($rate = Progress::rate($feed->progress)) · {{ Say::short($rate) }} rows a second @endif @if ($left = Progress::left($feed->progress)) · about {{ $left }} @endif</p>
            </section>
        @endif
        <section class="sheet pad">
            <div style="display: flex; gap: 12px; align-items: baseline"><h2>Time behind</h2><span class="faded small">worst of each minute, against the promise</span>
                <span style="margin-left: auto" class="small">@foreach (['1h' => '1 h', '6h' => '6 h', '24h' => '24 h', '7d' => '7 d'] as $span => $word)<a href="?span={{ $span }}" @if ($hours === (int) ['1h' => 1, '6h' => 6, '24h' => 24, '7d' => 168][$span]) aria-current="true" class="strong" @endif>{{ $word }}</a>{{ $loop->last ? '' : ' · ' }}@endforeach</span></div>
            @if ($chart->isEmpty())
                <div class="empty"><p>Nothing has been completed yet, so there is no time behind to draw.</p></div>
            @else
            <svg class="chart" viewBox="0 0 892 262" role="img" aria-label="Time behind over {{ $hours }} hours: now {{ Say::span($feed->behind()) }}, worst {{ Say::span($chart->worst()) }}, promise {{ Say::span($chart->promise) }}">
                @foreach ($chart->ticks() as $tick)<line class="grid" x1="64" x2="878" y1="{{ round($chart->y($tick), 1) }}" y2="{{ round($chart->y($tick), 1) }}"/><text x="56" y="{{ round($chart->y($tick) + 4, 1) }}" text-anchor="end">{{ $tick == 0 ? '0' : Say::span($tick) }}</text>@endforeach
                @foreach ($chart->times() as $time)<text x="{{ round($time['x'], 1) }}" y="244" text-anchor="{{ $loop->first ? 'start' : ($loop->last ? 'end' : 'middle') }}">{{ $time['label'] }}</text>@endforeach
                @foreach ($chart->events as $event)<line class="event" x1="{{ round($chart->x($event['x']), 1) }}" x2="{{ round($chart->x($event['x']), 1) }}" y1="14" y2="226"><title>{{ $event['word'] }}</title></line>@endforeach
                <line class="limit" x1="64" x2="878" y1="{{ round($chart->y($chart->promise), 1) }}" y2="{{ round($chart->y($chart->promise), 1) }}"/><text class="limit-text" x="876" y="{{ round($chart->y($chart->promise) - 5, 1) }}" text-anchor="end">promise {{ Say::span($chart->promise) }}</text>
                <path class="run" d="{{ $chart->line() }}"/>
                <text x="64" y="259">{{ Say::zone() }}@if ($chart->events) · dotted: a run failed, was held or lost @endif</text>
            </svg>
            @endif
        </section>
        <section class="sheet table-box">
            @include('feeds.run-rows', ['runs' => $runs])
        </section>
    </div>
    <div class="stack">
        <section class="sheet pad">
            <div style="display: flex"><span class="faded small">Behind</span><span style="margin-left: auto">{{ App\Support\Mark::state($state) }}</span></div>
            <div class="big s-{{ $slug }}" title="{{ $feed->behind() === null ? '' : number_format($feed->behind(), 3).' s' }}">{{ Say::span($feed->behind()) }}</div>
            <div class="faded">promise {{ Say::span((float) $feed->promise_seconds) }}@if ($chart->kept->share() !== null) · kept <b style="color: var(--ink)">{{ Say::share($chart->kept->share()) }}</b> in 24 h @endif</div>
            <dl class="facts" style="margin-top: 10px">
                <div><dt>Last landed</dt><dd title="{{ Say::exactly($feed->last_landed_at) }}">{{ Say::at($feed->last_landed_at) }}</dd></div>
                <div><dt>Next</dt><dd>@include('parts.next')</dd></div>
                <div><dt>Position</dt><dd class="mono small">{{ $feed->stands() }}</dd></div>
                <div><dt>Receipts</dt><dd>{{ Say::count($feed->sequence) }}</dd></div>
            </dl>
        </section>
        <section class="sheet pad">
            <h2>What is promised</h2>
            @forelse ($guarantee?->claims ?? [] as $claim)
                <div class="claim"><b class="r-{{ str_replace(' ', '-', $claim->strength) }}">{{ $claim->headline }}.</b> <span class="faded">{{ $claim->reason }}</span></div>
            @empty
                <p class="faded small">{{ $feed->route->source->name }} does not answer now, so what it can do is not known.</p>
            @endforelse
        </section>
    </div>
</div>
