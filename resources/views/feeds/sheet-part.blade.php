@php
    use Illuminate\Support\Str;
    $show = fn (string|false|null $v): string => $v === null ? '<span class="faded">null</span>' : ($v === false ? '<span class="faded">not sent</span>' : e(Str::limit($v, 40)));
    $enc = rawurlencode($feed->name);
@endphp
<div class="sheet table-box" tabindex="0" role="region" aria-label="Columns">
<table class="rows columns-sheet">
    <caption class="hidden-text">Columns at the source, what is done to them, and what lands</caption>
    <thead><tr><th><span class="hidden-text">Tick, key</span></th><th>{{ $edited->fork === null ? 'At the source' : 'From the own sheet' }}</th><th class="type">Type</th><th>Value</th><th>Treatment</th><th>Landed as</th><th class="type">Type</th><th>Value</th></tr></thead>
    <tbody>
    @foreach ($sheet->lines as $l)
        @php
            $of = $l['line'];
            $name = $of->name();
            $edit = '?'.http_build_query(array_filter(['fork' => $edited->forkName(), 'sample' => $sample, 'row' => $sheet->at ?: null, 'line' => $l['number'], 'key' => $key ?: null], fn ($v) => $v !== null && $v !== ''));
            $mask = $of->masks();
        // Who may not change the feed is not shown what it keeps out of the target.
        $raw = Gate::allows('change') || $l['raw'] === null || (! $of->drop && ! $treatment->hides((string) $of->from)) ? $l['raw'] : Lighterman\Core\Treatment\Judging::HIDDEN;
        // Nor what a fork keeps out of its table, though another may have it.
        $value = Gate::allows('change') || ! is_string($l['value']) || $of->from === null || $mask || ! $treatment->hides($of->from) ? $l['value'] : Lighterman\Core\Treatment\Judging::HIDDEN;
        @endphp
        <tr data-text="{{ $of->from }} {{ $name }} {{ $of->sentence() }}" @class(['dropped' => $of->drop, 'at' => $line === $l['number'], 'fails' => $l['error'] || $l['fault']])>
            <td class="nowrap">@can('change')<input type="checkbox" name="lines[]" value="{{ $l['number'] }}" aria-label="{{ $name }}">@endcan @if ($l['key'])<span class="key-mark">key</span>@elseif ($l['watermark'])<span class="key-mark" title="the watermark">mark</span>@endif</td>
            @if ($of->from === null)
                <td class="faded">made on the way</td><td class="type"></td><td></td>
            @elseif ($l['again'])
                <td class="faded">⋮ <span class="mono">{{ $of->from }}</span></td><td class="type"></td><td></td>
            @else
                <td class="mono strong">{{ $of->from }}</td><td class="mono faded type">{{ $l['column']->type }}</td><td class="mono clip value" title="{{ is_string($raw) ? Str::limit($raw, 300) : '' }}">{!! $show($raw) !!}</td>
            @endif
            <td class="treatment">
                @can('change')<a href="{{ $edit }}" class="{{ $of->drop || $of->steps ? 'chip' : 'plain' }}{{ $mask ? ' masked' : '' }}" data-line="{{ $l['number'] }}" title="{{ $of->sentence() }}">{{ Str::limit($of->sentence(), 38) }}</a>@else<span class="{{ $of->steps ? 'chip' : '' }}">{{ $of->sentence() }}</span>@endcan
                @if ($l['personal'])<a href="{{ $edit }}" class="warn small">▲ looks like a {{ $l['personal']['what'] }}</a>@endif
            </td>
            @if ($of->drop)
                <td class="faded">—</td><td class="type"></td><td></td>
            @else
                <td class="mono strong">{{ $name }}</td><td class="mono faded type">{{ $l['type'] ?? '—' }}</td>
                @if ($l['error'])<td class="wrong wrap">{{ $l['error'] }}</td>
                @elseif ($l['fault'])<td class="wrong wrap">{{ $l['fault'] }}</td>
                @else<td @class(['mono', 'clip', 'value', 'made' => $of->steps !== []]) title="{{ is_string($value) ? Str::limit($value, 300) : '' }}">@if ($sheet->rows === [])<span class="faded">no row</span>@else{!! $show($value) !!}@endif</td>@endif
            @endif
        </tr>
    @endforeach
    @foreach ($definition->landedTable()->technical() as $what => $column)
        <tr data-text="{{ $column->name }}"><td></td><td class="faded">{{ ['delivered_at' => 'when the row was delivered', 'source_position' => 'the position its batch led to'][$what] ?? 'added by the landing' }}</td><td class="type"></td><td></td><td class="faded">stamp: {{ str_replace('_', ' ', $what) }}</td><td class="mono strong">{{ $column->name }}</td><td class="mono faded type">{{ $column->type }}</td><td class="faded">at delivery</td></tr>
    @endforeach
    </tbody>
</table>
</div>
