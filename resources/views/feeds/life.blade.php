@extends('layout')
@php
    use App\Pages\RowLife;
    use App\Support\Say;
    $enc = rawurlencode($feed->name);
@endphp
@section('heading', "A row's life in {$feed->name}")
@section('content')
@include('feeds.head', ['tab' => "A row's life"])
@if (! RowLife::isKept($definition))
    <div class="sheet empty"><p><strong>Landing {{ $definition->destination->landing->value }} keeps a row only as it is now.</strong></p>
        @if ($siblings->isEmpty())<p>A feed of the same table with landing versions, or append, keeps every change.</p>@can('change')<p><a class="button primary" href="/feeds/new">New feeds</a></p>@endcan
        @else<p>@foreach ($siblings as $name)<a class="button" href="/feeds/{{ rawurlencode($name) }}/life?{{ http_build_query(['key' => $key]) }}">Look in {{ $name }}</a> @endforeach</p>@endif</div>
@else
<form method="get" action="/feeds/{{ $enc }}/life" class="sheet pad bar" style="align-items: end; margin-bottom: 14px">
    @foreach ($definition->origin->key as $column)<div class="field" style="margin: 0"><label for="key-{{ $loop->index }}" class="mono">{{ $column }}</label><input class="input mono" id="key-{{ $loop->index }}" name="key[{{ $column }}]" value="{{ $key[$column] ?? '' }}" required></div>@endforeach
    <button class="button primary">Show</button>
</form>
@if ($trouble)
    <div class="note trouble" role="alert"><p class="strong">{{ $trouble->getMessage() }}</p><p>@include('parts.remedy', ['remedy' => $trouble->remedy()])</p></div>
@elseif ($life === null)
    <div class="sheet empty"><p>Type a key to see every change to its row: when it was made, when it landed, when the next one took its place.</p></div>
@elseif ($life->versions === [])
    <div class="sheet empty"><p><strong>No change to this key has landed.</strong></p><p>The key may be mistyped, or the row is older than the feed and was gone before its first load.</p></div>
@else
<section class="sheet pad">
    <h2>{{ count($life->versions) }} {{ count($life->versions) === 1 ? 'change' : 'changes' }}@if ($life->cut), the latest; older ones are not drawn @endif</h2>
    @php $shown = array_slice($life->versions, -24); @endphp
    <svg class="chart life" viewBox="0 0 1220 {{ 40 + 18 * count($shown) }}" role="img" aria-label="The changes to this key on a time axis; the table below has the times">
        @foreach ($life->times() as $time)<line class="grid" x1="{{ $time['x'] }}" x2="{{ $time['x'] }}" y1="6" y2="{{ 14 + 18 * count($shown) }}"/><text x="{{ $time['x'] }}" y="{{ 30 + 18 * count($shown) }}" text-anchor="{{ $loop->first ? 'start' : ($loop->last ? 'end' : 'middle') }}">{{ $time['label'] }}</text>@endforeach
        @foreach ($shown as $i => $v)
            @php $x1 = $life->x($v['made']); $x2 = $life->x($v['until'] ?? $life->now()); $top = 10 + 18 * $i; @endphp
            @if ($v['kind'] === 'delete')<line class="gone" x1="{{ $x1 }}" x2="{{ $x1 }}" y1="{{ $top - 2 }}" y2="{{ $top + 14 }}"/><text x="{{ $x1 + 6 }}" y="{{ $top + 10 }}">deleted</text>
            @else<rect class="span {{ $v['until'] ? '' : 'current' }}" x="{{ $x1 }}" y="{{ $top }}" width="{{ max(2, round($x2 - $x1, 1)) }}" height="12"/><rect class="made" x="{{ $x1 }}" y="{{ $top }}" width="3" height="12"/>@endif
            @if ($v['landed'])<circle class="landed" cx="{{ $life->x($v['landed']) }}" cy="{{ $top + 6 }}" r="4"/>@endif
        @endforeach
    </svg>
    <p class="faded small">Bar: the time for which it was so at the source. Ring: when it landed, by the target's clock at the start of the transaction that landed it. {{ Say::zone() }}.</p>
</section>
<div class="sheet table-box" style="margin-top: 14px" tabindex="0" role="region" aria-label="Changes">
    <table class="rows" x-data="rows"><caption class="hidden-text">Changes to this key</caption>
        <thead><tr><th>What</th><th>Made at the source</th><th>Landed</th><th class="num">Delay</th><th>Superseded</th><th>Changed</th>@foreach ($definition->carried()->names() as $column)<th class="mono">{{ $column }}</th>@endforeach</tr></thead>
        <tbody>@foreach (array_reverse($life->versions) as $v)<tr tabindex="0" data-text="{{ $v['place'] }}"><td title="{{ $v['place'] }}">{{ $v['kind'] }}</td><td title="{{ Say::exactly($v['made']) }}">{{ Say::at($v['made']) }}</td><td title="{{ Say::exactly($v['landed']) }}">{{ Say::at($v['landed']) }}</td>
            <td class="num">{{ $v['landed'] && $v['kind'] !== 'load' ? Say::took(max(0, $v['made']->diffInMicroseconds($v['landed']) / 1e6)) : '—' }}</td><td>{{ $v['until'] ? Say::at($v['until']) : ($v['kind'] === 'delete' ? '—' : 'current') }}</td><td class="mono clip">{{ implode(', ', $v['changed']) ?: '—' }}</td>
            @foreach ($definition->carried()->names() as $column)<td class="mono clip {{ in_array($column, $v['changed'], true) ? 'strong' : 'faded' }}" title="{{ mb_strimwidth((string) ($v['values'][$column] ?? ''), 0, 300, '…') }}">{{ mb_strimwidth((string) ($v['values'][$column] ?? '∅'), 0, 40, '…') }}</td>@endforeach</tr>@endforeach</tbody></table>
</div>
@endif
@endif
@endsection
