@extends('layout')
@php use App\Support\Say; @endphp
@section('heading', 'New feeds: rehearsal')
@php $stuck = collect($rehearsed)->filter(fn ($r) => $r['trouble'] || $r['preparation']?->obstacles())->count(); @endphp
@section('content')
<div class="title"><h1>Rehearsal</h1><span class="sub">{{ $source->name }} → {{ $target->name }} · nothing is written yet</span></div>
@include('new.steps', ['at' => 'Rehearsal'])
@if ($stuck)<div class="note caution">{{ $stuck }} of {{ count($rehearsed) }} cannot be started as {{ $stuck === 1 ? 'it is' : 'they are' }}; the reason stands with each.</div>@endif
<form method="post" action="/feeds/new">
    @csrf<input type="hidden" name="source" value="{{ $source->name }}"><input type="hidden" name="target" value="{{ $target->name }}">
    @foreach ($schedule as $field => $value)<input type="hidden" name="{{ $field }}" value="{{ $value }}">@endforeach
    @foreach ($lines as $n => $line)@foreach ($line->typed as $field => $value)@if ($field !== 'take_over')<input type="hidden" name="lines[{{ $n }}][{{ $field }}]" value="{{ $value }}">@endif @endforeach @endforeach
    <div class="stack">
    @foreach ($rehearsed as $n => $r)
        @php $d = $r['definition']; @endphp
        <section class="sheet pad">
            <h2>{{ $d->name }} <span class="faded" style="font-weight: 400"><span class="mono">{{ $d->origin->table }}</span> → <span class="mono">{{ $d->destination->table }}</span> · {{ $d->origin->capture->value }}{{ $d->origin->watermarkColumn() ? " on {$d->origin->watermarkColumn()}" : '' }}, {{ $d->destination->landing->value }}</span></h2>
            @if ($r['trouble'])<div class="note trouble"><p class="strong">{{ $r['trouble']->getMessage() }}</p><p>@include('parts.remedy', ['remedy' => $r['trouble']->remedy()])</p></div>@endif
            @foreach ($r['preparation']?->findings ?? [] as $f)
                @if ($f->result !== 'passed' || in_array($f->subject, ['Privilege', 'Folder'], true))
                    <div class="finding"><span class="result r-{{ $f->result }}">{{ $f->result }}</span><span>{{ $f->said }} @if ($f->remedy)<span class="remedy"><code>{{ $f->remedy }}</code></span>@endif
                    @if ($f->subject === 'Rows')<label style="display: block; margin-top: 4px"><input type="checkbox" name="lines[{{ $n }}][take_over]" value="1"> Take {{ $d->destination->table }} over: rows with the same key are overwritten</label>@endif</span></div>
                @endif
            @endforeach
            @if ($r['atSource'])<div style="margin-top: 8px"><h3>Runs on {{ $source->name }} first</h3><pre class="sql" tabindex="0">{{ implode(";\n", $r['atSource']) }};</pre></div>@endif
            @if ($r['unreadable'])
            <div class="note caution" style="margin-top: 8px"><p class="strong">{{ count($r['unreadable']) }} {{ count($r['unreadable']) === 1 ? 'line' : 'lines' }} of {{ $r['whole'] ? 'these files' : 'the first of them' }} would be set aside:</p>@foreach (array_slice($r['unreadable'], 0, 5) as $u)<p class="mono small">{{ $u->message() }}</p>@endforeach @if (count($r['unreadable']) > 5)<p class="small">and {{ count($r['unreadable']) - 5 }} more.</p>@endif</div>
            @endif
            <div class="two" style="margin-top: 8px">
                <div><h3>Runs on {{ $target->name }} first</h3>
                    @if ($r['preparation']?->statements)<pre class="sql" tabindex="0">{{ implode(";\n", $r['preparation']->statements) }};</pre>@elseif ($r['preparation']?->exists)<p class="faded small">Nothing: the table is there, and its columns fit.</p>@else<p class="faded small">Nothing: {{ $d->destination->partitionBy ? 'files are made in folders by '.implode(', ', array_map(strval(...), $d->destination->partitionBy)) : 'files are made' }} with the first delivery.</p>@endif</div>
                <div style="min-width: 0"><h3>{{ $r['whole'] ? 'All '.Say::count($r['count']).' rows would be carried; the first are' : 'The first of the rows that would be carried' }}</h3>
                    @if ($r['rows'])@include('parts.values', ['rows' => $r['rows']])@else<p class="faded small">No row would be carried now.</p>@endif</div>
            </div>
        </section>
    @endforeach
    </div>
    <div class="bar" style="margin-top: 12px"><button class="button plain" formaction="/feeds/new/grid">Back to the grid</button><button class="button push" name="paused" value="1" title="Nothing is read or landed until you resume them">Create paused, to treat columns first</button><button class="button primary">Start {{ count($lines) === 1 ? 'the feed' : count($lines).' feeds' }}</button></div>
</form>
@endsection
