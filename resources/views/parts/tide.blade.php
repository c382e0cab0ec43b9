{{-- Needs $tide, $span, $log. --}}
@php use App\Pages\TideChart; use App\Support\Say; @endphp
<section class="sheet pad" x-data="tide" data-tide="{{ $tide->json() }}">
    <div style="display: flex; gap: 12px; align-items: baseline"><h2>Tide</h2><span class="faded small">changes committed at the source and landed, since {{ Say::at(Carbon\CarbonImmutable::createFromTimestamp($tide->since), false) }}</span>
        <span style="margin-left: auto" class="small">@foreach (TideChart::SPANS as $key => [$word])<a href="?span={{ $key }}" @if ($span === $key) aria-current="true" class="strong" @endif>{{ $word }}</a>{{ $loop->last ? '' : ' · ' }}@endforeach</span></div>
    @if ($tide->isEmpty())
        <div class="empty"><p>{{ $tide->unknownFrom() === null ? 'No change was made at the source in this time.' : 'No change is known of. '.ucfirst(Say::unseen($log)).'.' }}</p></div>
    @else
    <svg class="chart tide" viewBox="0 0 892 300" role="img" aria-label="{{ Say::count($tide->committed()) }} changes committed and {{ Say::count($tide->delivered()) }} landed; {{ Say::count($tide->waiting()) }} wait{{ $tide->unknownFrom() === null ? '' : '; '.Say::unseen($log) }}">
        @foreach ($tide->ticks() as $tick)<line class="grid" x1="64" x2="878" y1="{{ round($tide->y($tick), 1) }}" y2="{{ round($tide->y($tick), 1) }}"/><text x="56" y="{{ round($tide->y($tick) + 4, 1) }}" text-anchor="end">{{ Say::short($tick) }}</text>@endforeach
        @foreach ($tide->times() as $time)<text x="{{ round($time['x'], 1) }}" y="274" text-anchor="{{ $loop->first ? 'start' : ($loop->last ? 'end' : 'middle') }}">{{ $time['label'] }}</text>@endforeach
        <path class="under" d="{{ $tide->under() }}"/>
        <path class="waits" d="{{ $tide->gap() }}"/>
        <path class="made" d="{{ $tide->committedLine() }}"/>
        <path class="run" d="{{ $tide->landedLine() }}"/>
        @if (($unknown = $tide->unknownFrom()) !== null)
            <defs><pattern id="unknown" width="7" height="7" patternUnits="userSpaceOnUse" patternTransform="rotate(45)"><line x1="0" x2="0" y1="0" y2="7"/></pattern></defs>
            <rect class="unknown" x="{{ round($unknown, 1) }}" y="26" width="{{ round(878 - $unknown, 1) }}" height="230"><title>{{ Say::unseen($log) }}: what was committed since is not known</title></rect>
            @if ($unknown < 640)<text class="unknown-text" x="{{ round(($unknown + 878) / 2, 1) }}" y="146" text-anchor="middle">{{ Say::unseen($log) }}</text>@endif
        @endif
        @php $free = 0; @endphp
        @foreach ($tide->events as $event)
            @php $x = round($tide->x($event['at']), 1); $written = $x >= $free; if ($written) { $free = $x + 12 + 6.2 * strlen($event['word']); } @endphp
            <line class="event" x1="{{ $x }}" x2="{{ $x }}" y1="14" y2="256"><title>{{ $event['word'] }} {{ Say::at(Carbon\CarbonImmutable::createFromTimestamp($event['at'])) }}</title></line>@if ($written && $x < 840)<text x="{{ $x + 4 }}" y="22">{{ $event['word'] }}</text>@endif
        @endforeach
        @if ($tide->waiting() > 0)<text class="waits-text" x="{{ round(($unknown ?? 878) - 2, 1) }}" y="{{ max(12, round($tide->y($tide->committed()) - 6, 1)) }}" text-anchor="end">{{ Say::short($tide->waiting()) }} waiting</text>@endif
        <rect class="made-key" x="64" y="288" width="14" height="4"/><text x="84" y="294">committed at the source</text>
        <rect class="run-key" x="222" y="288" width="14" height="4"/><text x="242" y="294">landed</text>
        <text x="300" y="294">gap upward: changes waiting · gap sideways: delay · {{ Say::zone() }}</text>
        @if ($unknown !== null)<rect class="unknown" x="682" y="284" width="14" height="11"/><text x="702" y="294">not known yet</text>@endif
        <g class="reading" hidden data-reading><line class="gap-line" x1="0" x2="0" y1="0" y2="0"/><line class="gap-end" x1="0" x2="0" y1="0" y2="0"/><line class="gap-end" x1="0" x2="0" y1="0" y2="0"/><rect class="tip-box" width="190" height="40" rx="3"/><text class="tip-one"></text><text class="tip-two"></text></g>
    </svg>
    @endif
</section>
