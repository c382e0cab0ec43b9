@extends('layout')
@php
    $enc = rawurlencode($feed->name);
    $fork = $edited->forkName();
@endphp
@section('heading', "Columns of {$feed->name}")
@section('content')
@include('feeds.head', ['tab' => 'Columns'])
<div x-data="sheet" data-edits="/feeds/{{ $enc }}/columns/line">
<div id="sheet-title">@include('feeds.sheet-title')</div>
@if ($edited->whole->forks)
<nav class="bar small" aria-label="Sheets of this feed" style="margin-bottom: 6px"><a href="/feeds/{{ $enc }}/columns" @if ($fork === '') aria-current="true" @endif>the feed's own sheet</a>@foreach ($edited->whole->forks as $f)<span class="faded">·</span><a href="?fork={{ rawurlencode($f->name) }}" @if ($f->name === $fork) aria-current="true" @endif>fork {{ $f->name }}</a>@endforeach
    @if ($fork !== '')<span class="faded push">what comes out of the own sheet, where <span class="mono">{{ $edited->fork->when }}</span> → <span class="mono">{{ $edited->lands() }}</span></span>@endif</nav>
@endif
<div class="bar" x-data="rows">
    <label class="hidden-text" for="filter">Filter columns</label><input class="input" id="filter" data-filter placeholder="Filter columns" autocomplete="off">
    @if ($sheet->rows !== [])
        @php $link = fn (int $row): string => '?'.http_build_query(array_filter(['fork' => $fork, 'sample' => $sample, 'row' => $row, 'line' => $line, 'key' => $key ?: null], fn ($v) => $v !== null && $v !== '')); @endphp
        <span class="faded">row</span>
        <a class="button step" href="{{ $link(max(0, $sheet->at - 1)) }}" rel="prev" aria-label="Previous row" @if ($sheet->at === 0) aria-disabled="true" @endif>‹</a>
        <span class="mono small">@foreach ($edited->key() as $k){{ $k }} = {{ Gate::denies('change') && $edited->hides($k) ? Lighterman\Core\Treatment\Judging::HIDDEN : $sheet->rows[$sheet->at][array_search($k, $edited->carried->names(), true)] }}@if (! $loop->last), @endif @endforeach</span>
        <a class="button step" href="{{ $link(min(count($sheet->rows) - 1, $sheet->at + 1)) }}" rel="next" aria-label="Next row" @if ($sheet->at === count($sheet->rows) - 1) aria-disabled="true" @endif>›</a>
        <span class="faded">{{ $sheet->at + 1 }} of {{ count($sheet->rows) }} {{ $key ? 'by key' : 'sampled' }}</span>
    @endif
    <span class="faded">·</span>
    @foreach (['last' => 'last rows', 'first' => 'first', 'random' => 'random'] as $way => $word)<a class="small" href="?{{ http_build_query(array_filter(['fork' => $fork, 'sample' => $way])) }}" @if ($sample === $way) aria-current="true" @endif>{{ $word }}</a>@endforeach
    @if ($definition->origin->key !== [])
    <details class="pick"><summary class="small">pick a row by key</summary>
        <form class="bar" method="get">@if ($fork !== '')<input type="hidden" name="fork" value="{{ $fork }}">@endif @foreach ($definition->origin->key as $k)<label class="mono" for="pick-{{ $loop->index }}">{{ $k }}</label><input class="input mono" id="pick-{{ $loop->index }}" name="key[{{ $k }}]" value="{{ $key[$k] ?? '' }}" required>@endforeach<button class="button">Show it</button></form>
    </details>
    @endif
</div>
<div class="{{ $line === null ? '' : 'with-side' }}">
    <form method="post" action="/feeds/{{ $enc }}/columns/act" id="sheet-form">@csrf<input type="hidden" name="seen" value="{{ $seen }}"> @include('feeds.fork-field')<input type="hidden" name="sample" value="{{ $sample }}"><input type="hidden" name="row" value="{{ $sheet->at }}">
        <div id="sheet-part">@include('feeds.sheet-part')</div>
        @can('change')
        <div class="bar" style="margin-top: 10px">
            <label for="bulk" class="small faded">Ticked columns:</label>
            <div class="select"><select id="bulk" name="act"><option value="">choose…</option><option value="drop">drop</option><option value="keep">keep as they are</option>@foreach (['keep_last' => 'mask: keep last 4', 'keep_shape' => 'mask: keep shape', 'keyed_hash' => 'mask: keyed hash', 'null' => 'mask: null'] as $way => $word)<option value="mask:{{ $way }}">{{ $word }}</option>@endforeach<option value="convert">convert to…</option><option value="mask_found">mask as suggested</option></select></div>
            <label class="hidden-text" for="bulk-type">Type to convert to</label><input class="input mono" id="bulk-type" name="type" placeholder="type, to convert to" style="width: 150px">
            <button class="button">Do it</button>
        </div>
        @endcan
    </form>
    @if ($line !== null && isset($sheet->lines[$line]))@include('feeds.line-editor', ['l' => $sheet->lines[$line]])@endif
</div>
@can('change')
<div class="two tools">
    <details class="sheet pad"><summary>Add a column: derived, or a stamp</summary>
        <form method="post" action="/feeds/{{ $enc }}/columns/act">@csrf<input type="hidden" name="seen" value="{{ $seen }}"> @include('feeds.fork-field')<input type="hidden" name="act" value="derive">
            <div class="form-grid"><div class="field"><label for="new-name">Landed as</label><input class="input mono" id="new-name" name="name" required maxlength="63" value="{{ old('name') }}"></div><div class="field" style="grid-column: span 2"><label for="new-expression">Computed as</label><input class="input mono" id="new-expression" name="expression" required placeholder="gross_kg - coalesce(tare_kg, 0)" value="{{ old('expression') }}" style="width: 100%"></div></div>
            <button class="button">Add it</button></form>
        <form method="post" action="/feeds/{{ $enc }}/columns/act" class="bar" style="margin-top: 10px">@csrf<input type="hidden" name="seen" value="{{ $seen }}"> @include('feeds.fork-field')<input type="hidden" name="act" value="stamp">
            <label for="stamp" class="small">Stamp</label><div class="select"><select id="stamp" name="what">@foreach (array_keys(Lighterman\Core\Treatment\Step\Stamp::WHAT) as $what)<option value="{{ $what }}">{{ str_replace('_', ' ', $what) }}</option>@endforeach</select></div><label for="stamp-as" class="small">landed as</label><input class="input mono" id="stamp-as" name="name" placeholder="its own name"><button class="button">Add it</button></form>
    </details>
    <details class="sheet pad"><summary>Rename many: by pattern, or from a list of names</summary>
        <form method="post" action="/feeds/{{ $enc }}/columns/act">@csrf<input type="hidden" name="seen" value="{{ $seen }}"> @include('feeds.fork-field')<input type="hidden" name="act" value="rename_pattern">
            <div class="form-grid"><div class="field"><label for="find-pattern">Pattern</label><input class="input mono" id="find-pattern" name="find" placeholder="^old_(.*)$"></div><div class="field"><label for="put">becomes</label><input class="input mono" id="put" name="put" placeholder="$1"></div><div class="field"><label for="case">Letters</label><div class="select"><select id="case" name="case"><option value="">as they are</option><option value="lower">small</option><option value="upper">capital</option><option value="snake">small_with_lines</option></select></div></div></div>
            <button class="button">Rename</button></form>
        <form method="post" action="/feeds/{{ $enc }}/columns/act" style="margin-top: 10px">@csrf<input type="hidden" name="seen" value="{{ $seen }}"> @include('feeds.fork-field')<input type="hidden" name="act" value="rename_list">
            <div class="field"><label for="list">Technical and readable names, a pair to a line</label><textarea class="textarea" id="list" name="list" rows="3" placeholder="grower_id, Grower&#10;joined_on, Member since">{{ old('list') }}</textarea></div>
            <button class="button">Rename</button></form>
    </details>
</div>
@endcan
<div id="sheet-below">@include('feeds.sheet-below')</div>
</div>
@endsection
@section('keys')<tr><td><kbd>‹</kbd> <kbd>›</kbd></td><td>previous and next row, by their links</td></tr>@endsection
