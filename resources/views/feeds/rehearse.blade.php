@extends('layout')
@php
    use Illuminate\Support\Str;
    $enc = rawurlencode($feed->name);
    $r = $records[$at] ?? null;
    $show = fn (?string $v): string => $v === null ? '<span class="faded">null</span>' : e(Str::limit($v, 120));
    $class = ['lands' => 'r-passed', 'lands, with a warning' => 'r-warned', 'set aside' => 'r-failed', 'dropped' => 'r-failed', 'stops the feed' => 'r-failed'];
    $tally = collect($records)->countBy('outcome');
    $tables = collect($records)->whereNotNull('table')->countBy('table');
    $tally = $tables->count() > 1 ? $tally->except('lands') : $tally;
@endphp
@section('heading', "Rehearsal of {$feed->name}")
@section('content')
@include('feeds.head', ['tab' => 'Rehearsal'])
<div class="bar"><span class="faded">{{ $draft ? 'with version '.($feed->definition->version + 1).', not saved' : "with version {$feed->definition->version}" }} · nothing is written anywhere</span>
    @if ($tables->count() > 1)@foreach ($tables as $table => $n)<span class="chip r-passed">{{ $n }} {{ $n === 1 ? 'lands' : 'land' }} in <span class="mono">{{ $table }}</span></span>@endforeach @endif
    @foreach ($tally as $outcome => $n)<span class="chip {{ $class[$outcome] }}">{{ $n }} {{ $n === 1 ? $outcome : (['lands' => 'land', 'lands, with a warning' => 'land, with a warning', 'stops the feed' => 'stop the feed'][$outcome] ?? $outcome) }}</span>@endforeach
    <span class="push"></span>@if ($draft)<a class="button" href="/feeds/{{ $enc }}/columns">Back to the columns</a>@endif
</div>
@if ($trouble)<div class="note trouble" role="alert"><p class="strong">{{ $trouble->getMessage() }}</p>@if ($trouble instanceof Lighterman\Core\Trouble\Explained)<p>@include('parts.remedy', ['remedy' => $trouble->remedy()])</p>@endif</div>@endif
<div class="columns-side">
    <div class="stack">
        <section class="sheet pad">
            <form method="get" class="bar" style="margin: 0">
                <label for="sample">Rows</label><div class="select"><select id="sample" name="sample">@foreach (['last' => 'the last', 'first' => 'the first', 'random' => 'random'] as $way => $word)<option value="{{ $way }}" @selected($sample === $way)>{{ $word }}</option>@endforeach</select></div><button class="button">Take them</button></form>
            @if ($feed->definition->body['key'])<form method="get" class="bar" style="margin: 10px 0 0"><span class="small">or the one with</span>@foreach ($feed->definition->body['key'] as $k)<label class="mono small" for="key-{{ $loop->index }}">{{ $k }}</label><input class="input mono" id="key-{{ $loop->index }}" name="key[{{ $k }}]" value="{{ request("key.$k") }}" required style="width: 90px">@endforeach<button class="button">Take it</button></form>@endif
            <form method="get" style="margin-top: 10px"><label class="small" for="where">or those of the last 5,000 for which</label><div class="bar" style="margin: 3px 0 0"><input class="input mono" id="where" name="where" value="{{ $where }}" placeholder="tare_kg == null" style="flex: 1 1 120px; width: 120px"><button class="button">Find</button></div></form>
            <form method="post" style="margin-top: 10px">@csrf<label class="small" for="typed">or records of your own: JSON, or a head and lines</label><textarea class="textarea" id="typed" name="typed" rows="4" spellcheck="false" placeholder='{"{{ $feed->definition->body['shape']['columns'][0]['name'] }}": 7}'>{{ $typed }}</textarea><button class="button" style="margin-top: 6px">Rehearse them</button></form>
        </section>
        @if (count($records) > 1)
        <section class="sheet table-box" style="max-height: 420px; overflow: auto"><table class="rows" x-data="rows"><caption class="hidden-text">Records</caption><thead><tr><th class="num">#</th><th>Record</th><th>Outcome</th></tr></thead><tbody>
        @foreach ($records as $n => $record)
            <tr tabindex="0" data-text="{{ $n }}" @class(['differs' => $n === $at])><td class="num">{{ $n + 1 }}</td><td class="mono clip">@if ($typed === '')<a href="?{{ http_build_query(array_filter(['sample' => $sample, 'where' => $where, 'at' => $n])) }}">{{ Str::limit(implode(', ', array_map(fn ($k) => (string) ($record['record'][$k] ?? ''), $feed->definition->body['key'] ?: [array_key_first($record['record'])])), 24) }}</a>@else<button class="plain-link" form="again" name="at" value="{{ $n }}">record {{ $n + 1 }}</button>@endif</td><td class="{{ $class[$record['outcome']] }}">{{ $record['outcome'] }}</td></tr>
        @endforeach</tbody></table>
        @if ($typed !== '')<form id="again" method="post">@csrf<input type="hidden" name="typed" value="{{ $typed }}"></form>@endif
        </section>
        @endif
    </div>
    <div class="stack">
    @if ($r)
        <section class="sheet pad">
            <div class="bar" style="margin-bottom: 6px"><h2 style="margin: 0">Record {{ $at + 1 }} of {{ count($records) }} <span class="faded" style="font-weight: 400">{{ $what ?? '' }}</span></h2><span class="push strong {{ $class[$r['outcome']] }}">{{ $r['outcome'] }}</span></div>
            @foreach ($r['failures'] as $f)<div class="finding"><span class="result r-failed">{{ $f['outcome'] }}</span><span>{{ $f['message'] }} <span class="faded mono small">{{ $f['reason'] }}</span></span></div>@endforeach
            @if ($aside)<p class="small"><a href="/feeds/{{ $enc }}/set-aside/{{ $aside->id }}">The record as it was set aside</a></p>@endif
        </section>
        <section class="sheet table-box"><table class="rows"><caption class="hidden-text">Step by step</caption><thead><tr><th class="num">Step</th><th>Column</th><th>What is done</th><th>Before</th><th>After</th></tr></thead><tbody>
            @include('feeds.rehearsed-steps', ['steps' => $r['steps'], 'before' => 0])
            @foreach ($r['checks'] as $c)
                <tr><td class="num faded">{{ count($r['steps']) + $loop->iteration }}</td><td class="faded">check</td><td class="wrap" colspan="2">must {{ $c['check'] }}</td><td class="{{ $c['passed'] === false ? 'wrong' : 'r-passed' }}">{{ $c['passed'] === false ? 'fails: '.$c['else'] : ($c['passed'] === null ? 'not reached' : 'passes') }}</td></tr>
            @endforeach
            @foreach ($r['forks'] as $f)
                <tr><td class="num faded">{{ count($r['steps']) + count($r['checks']) + $loop->iteration }}</td><td class="faded">fork</td><td class="wrap" colspan="2">{{ $f['fork'] }}: <span class="mono">{{ $f['when'] }}</span></td><td class="{{ $f['takes'] ? 'r-passed' : 'faded' }}">{{ $f['takes'] === null ? 'not reached' : ($f['takes'] ? 'it takes this one' : 'it does not') }}</td></tr>
            @endforeach
            @include('feeds.rehearsed-steps', ['steps' => $r['further'], 'before' => count($r['steps']) + count($r['checks']) + count($r['forks'])])
            @if ($r['steps'] === [] && $r['checks'] === [] && $r['forks'] === [])<tr><td colspan="5" class="faded">Nothing is done to the record: it lands as it is read.</td></tr>@endif
        </tbody></table></section>
        <div class="two">
            <section class="sheet pad"><h2>As read</h2><dl class="facts">@foreach ($r['record'] as $c => $v)<div><dt class="mono">{{ $c }}</dt><dd class="mono">{!! $show($v) !!}</dd></div>@endforeach</dl></section>
            <section class="sheet pad"><h2>As it lands @if ($r['table'])in <span class="mono">{{ $r['table'] }}</span>@endif</h2>@if ($r['lands'] === null)<p class="faded">It does not land.</p>@else<dl class="facts">@foreach ($r['lands'] as $c => $v)<div><dt class="mono">{{ $c }}</dt><dd class="mono">{!! $show($v) !!}</dd></div>@endforeach</dl>@endif</section>
        </div>
        @if ($r['writes'])<section class="sheet pad"><h2>What would be run on {{ $feed->route->target->name }}</h2><pre class="sql" tabindex="0">{{ $r['writes'] }}</pre></section>@endif
    @elseif (! $trouble)
        <section class="sheet empty"><p><strong>No record to rehearse.</strong></p><p>{{ $where !== '' ? 'No row satisfies the condition.' : 'The source has no rows now; type a record of your own.' }}</p></section>
    @endif
    </div>
</div>
@endsection
