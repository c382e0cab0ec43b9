@extends('layout')
@php use App\Support\Say; @endphp
@section('heading', 'SQL')
@section('content')
<div class="title"><h1>SQL</h1><span class="sub">one statement, read only, at most {{ config('lighterman.query.seconds') }} s and {{ config('lighterman.query.row_limit') }} rows</span></div>
@if ($targets->isEmpty())
    <div class="sheet empty"><p><strong>Nothing lands anywhere yet.</strong></p><p>Once a feed is set up, its target can be queried here.</p></div>
@else
<form method="post" action="/landed/sql" class="sheet pad" style="margin-bottom: 14px">@csrf
    <div class="bar"><label for="target">On</label><div class="select"><select id="target" name="target">@foreach ($targets as $t)<option @selected($chosen === $t)>{{ $t }}</option>@endforeach</select></div></div>
    <div class="field"><label for="sql" class="hidden-text">Statement</label><textarea class="textarea" id="sql" name="sql" rows="4" spellcheck="false" required>{{ $sql }}</textarea></div>
    <button class="button primary">Run</button> <button class="button" name="csv" value="1">Download as CSV</button>
    @if ($tables)<details class="small" style="margin-top: 8px"><summary>{{ count($tables) }} {{ count($tables) === 1 ? 'table' : 'tables' }} that feeds land in</summary><div class="table-box" style="max-height: 260px; overflow: auto"><table class="rows"><thead><tr><th>System</th><th>Table</th><th>Columns</th></tr></thead><tbody>
        @foreach ($tables as $t)<tr><td>{{ $t['system'] }}</td><td class="mono"><a href="/landed/sql?{{ http_build_query(['target' => $t['system'], 'sql' => "SELECT *\nFROM {$t['table']}\nLIMIT 50"]) }}">{{ $t['table'] }}</a></td><td class="mono wrap faded">{{ implode(', ', $t['columns']) }}</td></tr>@endforeach
    </tbody></table></div></details>@endif
</form>
@endif
@if ($trouble)<div class="note trouble" role="alert"><p class="strong">{{ $trouble->getMessage() }}</p><p>{{ $trouble->remedy() }}</p></div>@endif
@if ($result)
    <p class="faded" style="margin-bottom: 6px">{{ Say::count(count($result->rows)) }} rows{{ $result->cut ? ', cut at the limit; there are more' : '' }} in {{ Say::took($result->seconds) }}@if ($result->files), from {{ Say::count($result->files[0]) }} of {{ Say::count($result->files[1]) }} {{ $result->files[1] === 1 ? 'file' : 'files' }}@endif</p>
    @if ($chart = App\Support\ResultChart::of($result))@include('landed.chart', ['by' => $result->columns[0]['name']])@endif
    <div class="sheet table-box" tabindex="0" role="region" aria-label="Result"><table class="rows"><caption class="hidden-text">Result</caption><thead><tr>@foreach ($result->columns as $c)<th class="mono {{ $c['numeric'] ? 'num' : '' }}">{{ $c['name'] }}</th>@endforeach</tr></thead><tbody>
    @forelse ($result->rows as $row)<tr>@foreach ($row as $i => $v)<td class="mono clip {{ $result->columns[$i]['numeric'] ? 'num' : '' }}" title="{{ $v === null ? 'null' : Illuminate\Support\Str::limit($v, 300) }}">@if ($v === null)<span class="faded">null</span>@else{{ Illuminate\Support\Str::limit($v, 80) }}@endif</td>@endforeach</tr>@empty<tr><td class="faded">No row.</td></tr>@endforelse
    </tbody></table></div>
@endif
@endsection
