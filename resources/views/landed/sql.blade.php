@extends('layout')
@php use App\Support\Say; @endphp
@section('heading', 'SQL')
@section('content')
<div class="title"><h1>SQL</h1><span class="sub">one statement, read only{{ $opened ? " · {$opened->name}, saved by {$opened->person->name}" : '' }}</span></div>
@if ($unasked->isNotEmpty())<div class="note">@foreach ($unasked as $name)<a href="/systems/{{ rawurlencode($name) }}">{{ $name }}</a>{{ $loop->last ? '' : ', ' }}@endforeach {{ $unasked->count() === 1 ? 'is' : 'are' }} not asked here before there is an account that may do nothing but read what has landed. Its page makes one.</div>@endif
@if ($targets->isEmpty() && $unasked->isNotEmpty())
    <div class="sheet empty"><p><strong>Nothing may be asked yet.</strong></p></div>
@elseif ($targets->isEmpty())
    <div class="sheet empty"><p><strong>Nothing lands anywhere yet.</strong></p><p>Once a feed is set up, its target can be queried here.</p></div>
@else
<div class="sql-page" x-data="sql">
<aside class="sheet tables" aria-label="Tables">
    <label class="hidden-text" for="find-table">Find a table or column</label><input class="input" id="find-table" data-find placeholder="Find a table or column" autocomplete="off">
    <ul>
    @forelse ($tables as $t)
        <li data-system="{{ $t['system'] }}" data-text="{{ $t['table'] }} {{ implode(' ', array_keys($t['columns'])) }}"><details><summary class="mono" title="{{ $t['table'] }}">{{ $t['table'] }}</summary>
            <a class="small" href="/landed/sql?{{ http_build_query(['target' => $t['system'], 'sql' => "SELECT *\nFROM {$t['table']}\nLIMIT 50"]) }}">50 rows</a>
            <dl>@foreach ($t['columns'] as $name => $type)<div><dt><button type="button" class="mono" data-insert="{{ App\Pages\LandedTables::quoted((string) $name) }}" title="Put {{ $name }} into the statement">{{ $name }}</button></dt><dd>{{ $type }}</dd></div>@endforeach</dl></details></li>
    @empty<li class="faded">No table has landed yet.</li>@endforelse
    </ul>
    @if ($saved->isNotEmpty())<h2>Saved</h2><ul>@foreach ($saved as $q)<li><a href="/landed/sql?saved={{ $q->id }}" @if ($opened?->id === $q->id) aria-current="true" @endif title="on {{ $q->target }}, by {{ $q->person->name }}">{{ $q->name }}</a></li>@endforeach</ul>@endif
</aside>
<div>
<form method="post" action="/landed/sql" class="sheet pad" style="margin-bottom: 14px" data-statement>@csrf
    <div class="bar"><label for="target">On</label><div class="select"><select id="target" name="target">@foreach ($targets as $t)<option @selected($chosen === $t)>{{ $t }}</option>@endforeach</select></div>
        <label for="limit-rows">at most</label><div class="select"><select id="limit-rows" name="rows">@foreach ([100, 500, 2000, 5000] as $n)<option value="{{ $n }}" @selected($rows === $n)>{{ Say::count($n) }} rows</option>@endforeach</select></div>
        <label for="limit-seconds" class="hidden-text">and at most so long</label><div class="select"><select id="limit-seconds" name="seconds">@foreach ([15, 60, 300] as $n)<option value="{{ $n }}" @selected($seconds === $n)>{{ Say::span($n) }}</option>@endforeach</select></div></div>
    <div class="field"><label for="sql" class="hidden-text">Statement</label><textarea class="textarea" id="sql" name="sql" rows="6" spellcheck="false" required>{{ $sql }}</textarea></div>
    <div class="bar" style="margin: 0"><button class="button primary" data-run>Run</button><button class="button" type="button" data-stop hidden>Stop</button><span class="faded" data-clock aria-live="off"></span><span class="faded small" data-idle>Ctrl+Enter runs; Ctrl+Space completes names</span>
        <label class="push faded small" title="A spreadsheet computes what begins with = + - or @. Without this, such texts get a ' before them in the file."><input type="checkbox" name="formulas" value="1"> formulas as they are</label><button class="button" name="as" value="csv">Download as CSV</button><button class="button" name="as" value="parquet">Download as Parquet</button></div>
</form>
<div class="bar"><form method="post" action="/landed/sql/saved" class="bar" style="margin: 0" data-save>@csrf<input type="hidden" name="sql" value="{{ $sql }}"><input type="hidden" name="target" value="{{ $chosen ?? $targets->first() }}"><label for="save-name">Save as</label><input class="input" id="save-name" name="name" value="{{ old('name', $opened?->name) }}" maxlength="120" required autocomplete="off"><button class="button">Save</button>@error('name')<span class="r-failed">{{ $message }}</span>@enderror</form>
@if ($opened)<form method="post" action="/landed/sql/saved/{{ $opened->id }}">@csrf @method('delete')<button class="button plain">Take {{ $opened->name }} off the saved</button></form>@endif</div>
<div data-result>@include('landed.result')</div>
</div>
</div>
@endif
@endsection
