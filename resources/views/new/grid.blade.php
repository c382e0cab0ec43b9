@extends('layout')
@php
    $ofFiles = $source->bringsFiles();
    $offered = array_values(array_unique(array_merge(...array_map(fn ($l) => array_map(fn ($c) => $c->value, array_reverse($l->captures)), array_values($lines))))) ?: array_column(Lighterman\Core\Capture\Capture::cases(), 'value');
    $toLake = $target->keepsFiles();
@endphp
@section('heading', 'New feeds: grid')
@section('content')
<div class="title"><h1>New feeds</h1><span class="sub">{{ $source->name }} → {{ $target->name }} · {{ count($lines) }} {{ $ofFiles ? (count($lines) === 1 ? 'pattern' : 'patterns') : (count($lines) === 1 ? 'table' : 'tables') }}</span></div>
@include('new.steps', ['at' => 'Grid'])
@if ($said)<div class="note trouble" role="alert">{{ $said }}</div>@endif
<form method="post" action="/feeds/new/rehearse" x-data="grid" data-judge="/feeds/new/judge">
    @csrf<input type="hidden" name="source" value="{{ $source->name }}"><input type="hidden" name="target" value="{{ $target->name }}">
    <section class="sheet pad" style="margin-bottom: 14px"><h2>When they run</h2>@include('parts.schedule-fields')</section>
    @if ($toLake)
    <div class="bar"><span>Files</span><div class="select"><select data-all="as_format" aria-label="Format for all"><option value="">format for all, or for the ticked ones</option>@foreach (['parquet', 'avro', 'jsonl', 'delimited'] as $f)<option value="{{ $f }}">{{ Lighterman\Core\Format\FileFormat::from($f)->word() }}</option>@endforeach</select></div>
        <div class="select"><select data-all="as_packed" aria-label="Packing for all"><option value="">packed with</option>@foreach (['zstd', 'snappy', 'deflate', 'gzip', 'none'] as $p)<option>{{ $p }}</option>@endforeach</select></div></div>
    @endif
    <div class="sheet table-box">
        <table class="rows grid">
            <caption class="hidden-text">One line per table</caption>
            <thead><tr><th><span class="hidden-text">Tick</span></th><th>{{ $ofFiles ? 'Files' : 'Table' }}</th><th>Feed</th><th>Capture</th>@unless ($ofFiles)<th>Watermark</th>@endunless<th>Key</th><th>Landing</th>@if ($toLake)<th title="Folders that the files are parted into: columns, or year, month or day of one">Partitions</th>@endif @unless ($ofFiles)<th title="For captures log and trigger with landing upsert">Deletes</th>@endif<th>Landed table</th><th>Promise, min</th><th>Leave out</th></tr></thead>
            <tbody>
            <tr class="group"><td colspan="3">Set for all, or for the ticked ones</td>
                <td><div class="select"><select data-all="capture" aria-label="Capture for all"><option value="">—</option>@foreach ($offered as $c)<option>{{ $c }}</option>@endforeach</select></div></td>
                @unless ($ofFiles)<td><input class="input mono" data-all="watermark" aria-label="Watermark for all" placeholder="column" size="10"></td>@endunless<td></td>
                <td><div class="select"><select data-all="landing" aria-label="Landing for all"><option value="">—</option><option>append</option><option>upsert</option><option>replace</option>@unless ($ofFiles)<option>versions</option>@endunless</select></div></td>
                @if ($toLake)<td><input class="input mono" data-all="partition_by" aria-label="Partitions for all" placeholder="month(…)" size="14"></td>@endif @unless ($ofFiles)<td><div class="select"><select data-all="deletes" aria-label="Deletes for all"><option value="">—</option><option>apply</option><option>mark</option><option>ignore</option></select></div></td>@endif
                <td></td><td><input class="input num" data-all="promise_minutes" aria-label="Promise for all" placeholder="min" size="5"></td><td></td></tr>
            @foreach ($lines as $n => $line)
                @php
                    $t = $line->typed + ['capture' => '', 'watermark' => '', 'key' => '', 'landing' => 'replace', 'landed' => '', 'name' => '', 'promise_minutes' => '15', 'leave_out' => '', 'deletes' => 'apply'];
                    $watermarks = array_values(array_unique(array_filter([...$line->candidates(), $t['watermark']])));
                @endphp
                <tr class="line" data-line>
                    <td><input type="checkbox" data-tick aria-label="Tick {{ $t['table'] }}"></td>
                    <td class="mono clip" title="{{ $t['table'] }}" style="padding-top: 8px">{{ $ofFiles ? preg_replace('/^files\./', '', $t['table']) : $t['table'] }}<input type="hidden" name="lines[{{ $n }}][table]" value="{{ $t['table'] }}"></td>
                    <td><input class="input" name="lines[{{ $n }}][name]" value="{{ $t['name'] }}" aria-label="Feed name" size="12"></td>
                    <td><div class="select" style="min-width: 104px"><select name="lines[{{ $n }}][capture]" data-field="capture" aria-label="Capture" title="{{ implode(' ', $line->reasons) }}">@foreach ($line->captures === [] ? $offered : array_map(fn ($c) => $c->value, array_reverse($line->captures)) as $c)<option @selected($t['capture'] === $c)>{{ $c }}</option>@endforeach</select></div></td>
                    @unless ($ofFiles)<td><div class="select"><select name="lines[{{ $n }}][watermark]" data-field="watermark" aria-label="Watermark" title="{{ implode(' ', $line->reasons) }}"><option value=""></option>@foreach ($line->shape?->names() ?? $watermarks as $c)<option @selected($t['watermark'] === $c)>{{ $c }}</option>@endforeach</select></div></td>@endunless
                    <td><input class="input mono" name="lines[{{ $n }}][key]" value="{{ $t['key'] }}" aria-label="Key" size="14"></td>
                    <td><div class="select"><select name="lines[{{ $n }}][landing]" data-field="landing" aria-label="Landing">@foreach ($ofFiles ? ['append', 'upsert', 'replace'] : ['append', 'upsert', 'replace', 'versions'] as $c)<option @selected($t['landing'] === $c)>{{ $c }}</option>@endforeach</select></div></td>
                    @if ($toLake)<td><input class="input mono" name="lines[{{ $n }}][partition_by]" data-field="partition_by" value="{{ $t['partition_by'] ?? '' }}" aria-label="Partitions" placeholder="none" size="17"></td>@endif @unless ($ofFiles)<td><div class="select"><select name="lines[{{ $n }}][deletes]" data-field="deletes" aria-label="Deletes">@foreach (['apply', 'mark', 'ignore'] as $c)<option @selected($t['deletes'] === $c)>{{ $c }}</option>@endforeach</select></div></td>@endif
                    <td><input class="input mono" name="lines[{{ $n }}][landed]" value="{{ $t['landed'] }}" aria-label="Landed table" size="22"></td>
                    <td><input class="input num" name="lines[{{ $n }}][promise_minutes]" data-field="promise_minutes" value="{{ $t['promise_minutes'] }}" aria-label="Promise in minutes" size="5"></td>
                    <td><input class="input mono" name="lines[{{ $n }}][leave_out]" value="{{ $t['leave_out'] }}" aria-label="Columns to leave out" size="8"></td>
                </tr>
                <tr class="advice"><td></td><td colspan="{{ $toLake ? 11 : 10 }}" data-advice="{{ $n }}" aria-live="polite">@include('new.advice', ['line' => $line])</td></tr>
                @if ($line->files)@include('new.reading')@endif
                @if ($toLake)@include('new.writing')@endif
            @endforeach
            </tbody>
        </table>
    </div>
    @if ($ofFiles)<datalist id="types">@foreach (Lighterman\Core\Shape\Type::writable() as $kind)<option value="{{ $kind->value === 'decimal' ? 'decimal(12,2)' : $kind->value }}">@endforeach</datalist>@endif
    <div class="bar" style="margin-top: 12px"><a class="button plain" href="/feeds/new?source={{ rawurlencode($source->name) }}&target={{ rawurlencode($target->name) }}">Back to {{ $ofFiles ? 'files' : 'tables' }}</a><button class="button primary push">Next: rehearsal</button></div>
</form>
@endsection
