@extends('layout')
@php
    use App\Pages\Delays;
    use App\Support\Say;
    $classes = count(Delays::CLASSES) + 1;
    $x = fn (int $i): float => 88 + $i * 47;
    $all = array_sum(array_map(fn ($d) => $d->histogram->total(), $hours));
    // The classes part the scale evenly; a percentile lies within its class by its logarithm.
    $y = function (float $ms) use ($classes): float {
        $below = 10.0;
        foreach (Delays::CLASSES as $i => $bound) {
            if ($ms <= $bound) {
                return 250 - 25 * ($i + max(0, log(max($ms, $below) / $below) / log($bound / $below)));
            }
            $below = $bound;
        }

        return 250 - 25 * ($classes - 0.5);
    };
@endphp
@section('heading', "Delay of {$feed->name}")
@section('content')
@include('feeds.head', ['tab' => 'Delay'])
<section class="sheet pad">
    <h2>Delay by hour</h2>
    <p class="faded small">From the commit at the source to the delivery, for every change, both by Lighterman's own clock. Percentiles are within 2 %.</p>
    @if ($all === 0)
        <div class="empty"><p>No change was delivered in the last 24 hours.</p></div>
    @else
    <svg class="chart hours" viewBox="0 0 1220 296" role="img" aria-label="Distribution of the delay over the last 24 hours, by hour; the table below has the figures">
        @foreach (Delays::CLASSES as $i => $bound)<line class="grid" x1="84" x2="1216" y1="{{ 225 - 25 * $i }}" y2="{{ 225 - 25 * $i }}"/><text x="76" y="{{ 229 - 25 * $i }}" text-anchor="end">{{ Say::took($bound / 1000) }}</text>@endforeach
        @foreach (array_values($hours) as $i => $delay)
            @foreach ($delay->classes() as $c => $class)@if ($class['count'])<rect class="cell" x="{{ $x($i) }}" y="{{ 226 - 25 * $c }}" width="43" height="23" opacity="{{ round(0.12 + 0.6 * $class['share'], 2) }}"><title>{{ Say::count($class['count']) }} changes {{ $class['upTo'] }}</title></rect>@endif @endforeach
            @foreach (['p50' => 0.5, 'p95' => 0.95, 'p99' => 0.99] as $name => $share)@if (($p = $delay->percentile($share)) !== null)<line class="{{ $name }}" x1="{{ $x($i) }}" x2="{{ $x($i) + 43 }}" y1="{{ round($y($p * 1000), 1) }}" y2="{{ round($y($p * 1000), 1) }}"/>@endif @endforeach
        @endforeach
        @foreach (array_keys($hours) as $i => $hour)@if ($i % 3 === 2)<text x="{{ $x($i) + 21 }}" y="268" text-anchor="middle">{{ Carbon\CarbonImmutable::createFromTimestamp($hour, Say::zone())->format('H:i') }}</text>@endif @endforeach
        <line class="p50" x1="88" x2="112" y1="286" y2="286"/><text x="118" y="290">half of the changes were faster (p50)</text><line class="p95" x1="336" x2="360" y1="286" y2="286"/><text x="366" y="290">p95</text><line class="p99" x1="410" x2="434" y1="286" y2="286"/><text x="440" y="290">p99 · darker: more changes · {{ Say::zone() }}</text>
    </svg>
    @endif
</section>
@if ($all > 0)
<div class="sheet table-box" style="margin-top: 14px">
    <table class="rows" x-data="rows"><caption class="hidden-text">Delay by hour</caption>
        <thead><tr><th>Hour</th><th class="num">Changes</th><th class="num">A second</th><th class="num">p50</th><th class="num">p95</th><th class="num">p99</th><th class="num">Worst</th><th class="num">Reading</th><th class="num">Treating</th><th class="num">Landing</th></tr></thead>
        <tbody>@foreach (array_reverse($hours, true) as $hour => $delay)@if ($delay->histogram->total())<tr tabindex="0" data-text="{{ $hour }}"><td>{{ Carbon\CarbonImmutable::createFromTimestamp($hour, Say::zone())->format('j M H:i') }}</td><td class="num">{{ Say::count($delay->histogram->total()) }}</td><td class="num">{{ number_format($delay->rate(), 1) }}</td>
            @foreach ([0.5, 0.95, 0.99] as $share)<td class="num">{{ Say::took((float) $delay->percentile($share)) }}</td>@endforeach<td class="num">{{ Say::took($delay->histogram->worst() / 1000) }}</td>
            @foreach ($delay->spent as $ms)<td class="num faded">{{ Say::took($ms / 1000) }}</td>@endforeach</tr>@endif @endforeach</tbody></table>
</div>
@endif
@endsection
