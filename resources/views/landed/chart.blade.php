@php use App\Pages\ResultChart; @endphp
<figure class="sheet pad result-chart" style="margin-bottom: 14px">
    <figcaption class="small">@foreach (array_keys($chart->series) as $s => $name)<span class="series-{{ $s }}"><svg width="12" height="12" aria-hidden="true"><rect width="12" height="12" rx="2" fill="currentColor"/></svg> <span class="mono">{{ $name }}</span></span> @endforeach</figcaption>
    <svg class="chart" viewBox="0 0 {{ ResultChart::WIDTH }} {{ ResultChart::HEIGHT }}" role="img" aria-label="{{ implode(', ', array_keys($chart->series)) }} by {{ $by }}, {{ count($chart->labels) }} values; the table below says them all">
        @foreach ($chart->ticks() as $said => $tick)<line class="grid" x1="70" x2="{{ ResultChart::WIDTH }}" y1="{{ $chart->y($tick) }}" y2="{{ $chart->y($tick) }}"/><text x="62" y="{{ $chart->y($tick) + 4 }}" text-anchor="end">{{ $said }}</text>@endforeach
        @foreach (array_values($chart->series) as $s => $values)
            @if ($chart->line)<path class="series-{{ $s }}" d="{{ $chart->path($values) }}" fill="none" stroke="currentColor" stroke-width="2"/>
            @else @foreach ($values as $row => $v)@if ($v !== null)<rect class="series-{{ $s }}" x="{{ $chart->left($row, $s) }}" y="{{ min($chart->y($v), $chart->y(0)) }}" width="{{ $chart->bar() }}" height="{{ max(0.5, abs($chart->y(0) - $chart->y($v))) }}" fill="currentColor"><title>{{ $chart->labels[$row] }}: {{ $v }}</title></rect>@endif @endforeach @endif
        @endforeach
        @foreach ($chart->labels as $row => $label)@if ($chart->labelled($row))<text x="{{ $chart->x($row) }}" y="218" text-anchor="middle">{{ Illuminate\Support\Str::limit($label, 15) }}</text>@endif @endforeach
    </svg>
</figure>
