@extends('layout')
@php use App\Support\Say; @endphp
@section('heading', 'New feeds')
@section('content')
<div class="title"><h1>New feeds</h1></div>
@include('new.steps', ['at' => 'Tables'])
@if ($all->count() < 1)
    <div class="sheet empty"><p><strong>There is no system yet.</strong></p><p>Add the system to read from and the one to land in first.</p><p><a class="button primary" href="/systems/new">Add a system</a></p></div>
@else
<form class="bar" action="/feeds/new">
    @foreach (['source' => 'From', 'target' => 'To'] as $field => $word)
        <label for="{{ $field }}">{{ $word }}</label>
        <div class="select"><select id="{{ $field }}" name="{{ $field }}">@foreach ($field === 'target' ? $all->filter(fn ($s) => $s->mayBeTarget()) : $all->filter(fn ($s) => $s->mayBeSource()) as $s)<option @selected(request($field, $field === 'target' ? $all->last(fn ($s) => $s->mayBeTarget())?->name : null) === $s->name)>{{ $s->name }}</option>@endforeach</select></div>
    @endforeach
    <button class="button {{ $catalogue === null ? 'primary' : '' }}">Show {{ $source?->bringsFiles() ? 'files' : 'tables' }}</button>
</form>
@endif
@if ($trouble)<div class="note trouble" role="alert"><p class="strong">{{ $trouble->getMessage() }}</p><p>@include('parts.remedy', ['remedy' => $trouble->remedy()])</p></div>@endif
@php $ofFiles = $source?->bringsFiles(); @endphp
@if ($ofFiles && $catalogue === [])
    <div class="sheet empty"><p><strong>There is no file in {{ $source->place() }} that can be read.</strong></p><p>Formats that can be read are delimited text (.csv, .tsv, .txt), JSON Lines (.jsonl, .ndjson), Avro and Parquet; text may be packed with gzip. Names that begin with a dot or an underscore are passed over.</p></div>
@elseif ($catalogue === [])
    <div class="sheet empty"><p><strong>{{ $source->account() }} may read no table of {{ $source->name }}.</strong></p><p><a href="/systems/{{ rawurlencode($source->name) }}">Test the system</a>: the findings name the statement that grants it.</p></div>
@elseif ($catalogue)
<form method="post" action="/feeds/new/grid" x-data="rows">
    @csrf<input type="hidden" name="source" value="{{ $source->name }}"><input type="hidden" name="target" value="{{ $target->name }}">
    <div class="bar">
        <label class="hidden-text" for="typed">Find {{ $ofFiles ? 'files' : 'a table' }}</label><input class="input" id="typed" x-model="typed" placeholder="Find by typing" autocomplete="off">
        @if ($ofFiles)
        <label for="own" class="small">or a pattern of your own</label><input class="input mono" id="own" name="tables[]" placeholder="samples/**/*.csv" autocomplete="off" title="* anything in a name, ** any folders, ? one character, {a,b} either">
        @else
        <label class="hidden-text" for="pattern">Tick by pattern</label><input class="input mono" id="pattern" x-model="pattern" placeholder="load*" @keydown.enter.prevent="tickPattern" autocomplete="off">
        <button type="button" class="button" @click="tickPattern">Tick by pattern</button>
        @endif
        <button type="button" class="button plain" @click="tickShown">Tick all shown</button><button type="button" class="button plain" @click="tickNone">Untick all</button>
        <span class="push faded"><span x-text="ticked">0</span> ticked of <span x-text="shown">{{ count($catalogue) }}</span> shown</span>
        <button class="button primary">Next: grid</button>
    </div>
    @if ($ofFiles)<p class="faded small" style="margin: 0 0 8px">Files whose names differ only in what counts or dates them are one pattern, and one feed. @if (request()->boolean('each'))<a href="?source={{ rawurlencode($source->name) }}&target={{ rawurlencode($target->name) }}">Show patterns</a>@else<a href="?source={{ rawurlencode($source->name) }}&target={{ rawurlencode($target->name) }}&each=1">Show every file by itself</a>, to make a feed of each.@endif</p>@endif
    <div class="sheet table-box">
        <table class="rows">
            <caption class="hidden-text">{{ $ofFiles ? 'Files' : 'Tables' }} of {{ $source->name }}</caption>
            <thead><tr><th><span class="hidden-text">Tick</span></th>@foreach ($ofFiles ? ['Files' => '', 'Size' => 'num', 'Columns' => '', 'What is there' => '', 'Carried by' => ''] : ['Table' => '', 'Rows, estimated' => 'num', 'Size' => 'num', 'Key' => '', 'Might be watermark' => '', 'Comment' => '', 'Carried by' => ''] as $head => $class)<th class="{{ $class }}"><button type="button" @click="sort">{{ $head }}</button></th>@endforeach<th></th></tr></thead>
            <tbody>
            @foreach ($catalogue as $entry)
                @php $table = (string) $entry->table; @endphp
                @if ($ofFiles)
                <tr tabindex="0" data-text="{{ $table }} {{ $entry->comment }}" data-name="{{ $table }}">
                    <td><input type="checkbox" name="tables[]" value="{{ $table }}" aria-label="Tick {{ $entry->table->name }}"></td>
                    <td class="mono clip" title="{{ $entry->table->name }}"><b>{{ $entry->table->name }}</b></td><td class="num" data-v="{{ $entry->bytes }}">{{ Say::bytes($entry->bytes) }}</td>
                    <td class="mono clip" title="{{ implode(', ', $entry->shape->names()) }}">{{ implode(', ', array_diff($entry->shape->names(), ['source_file', 'source_line'])) ?: '—' }}</td><td class="faded clip" title="{{ $entry->comment }}">{{ $entry->comment }}</td><td class="faded clip">{{ $carried[$table] ?? '' }}</td>
                    <td><a href="/feeds/new/sample?source={{ rawurlencode($source->name) }}&table={{ rawurlencode($table) }}" data-drawer="/feeds/new/sample?source={{ rawurlencode($source->name) }}&table={{ rawurlencode($table) }}">50 rows</a></td>
                </tr>
                @continue
                @endif
                <tr tabindex="0" data-text="{{ $table }} {{ $entry->comment }}" data-name="{{ $table }}">
                    <td><input type="checkbox" name="tables[]" value="{{ $table }}" aria-label="Tick {{ $table }}"></td>
                    <td class="mono clip" title="{{ $table }}"><span class="faded">{{ $entry->table->schema }}.</span><b>{{ $entry->table->name }}</b></td>
                    <td class="num" data-v="{{ $entry->estimatedRows ?? -1 }}">{{ Say::short($entry->estimatedRows) }}</td><td class="num" data-v="{{ $entry->bytes }}">{{ Say::bytes($entry->bytes) }}</td>
                    <td class="mono clip">{{ implode(', ', $entry->shape->key) ?: '—' }}</td><td class="mono clip">{{ implode(', ', $entry->watermarkColumns) ?: '—' }}</td>
                    <td class="faded clip">{{ $entry->comment }}</td><td class="faded clip">{{ $carried[$table] ?? '' }}</td>
                    <td><a href="/feeds/new/sample?source={{ rawurlencode($source->name) }}&table={{ rawurlencode($table) }}" data-drawer="/feeds/new/sample?source={{ rawurlencode($source->name) }}&table={{ rawurlencode($table) }}">50 rows</a></td>
                </tr>
            @endforeach
            </tbody>
        </table>
    </div>
</form>
@endif
@endsection
