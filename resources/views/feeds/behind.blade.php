@php use App\Support\Say; @endphp
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
