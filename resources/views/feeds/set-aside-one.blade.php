@extends('layout')
@php
    use App\Support\Say;
    $enc = rawurlencode($feed->name);
    $open = in_array($record->standing(), ['waiting'], true);
    $isFile = $record->kind === App\Models\SetAside::FILE;
@endphp
@section('heading', "Set aside: {$feed->name} #{$record->id}")
@section('content')
@include('feeds.head', ['tab' => 'Set aside'])
<div class="note {{ $open ? 'caution' : '' }}"><p class="strong">{{ $record->message }}</p><p>{{ $record->step }} · <span class="mono">{{ $record->reason }}</span> · {{ $record->standing() }}@if ($record->note) · {{ $record->note }}@endif</p></div>
<div class="columns-2">
    @if ($isFile)
    <section class="sheet pad">
        <h2>A file, as a whole</h2>
        <p class="mono" style="margin-bottom: 8px">{{ $record->position }}</p>
        <p>Nothing of it has landed with this reading. Once whoever made it has put it right, have it taken again; if it is replaced by a file of another size or time, that is noticed too.</p>
        @can('change')@if ($open)
        <form method="post" action="/feeds/{{ $enc }}/set-aside/{{ $record->id }}" class="bar" style="margin: 12px 0 0">@csrf<a class="button" href="/feeds/{{ $enc }}/files">All files</a><button class="button primary push" name="send" value="1">Take it again</button></form>
        @endif @endcan
    </section>
    @else
    <section class="sheet pad">
        @if ($text !== null)<h2>The line as it stands in the file</h2><pre class="sql" tabindex="0" style="margin-bottom: 12px">{{ Illuminate\Support\Str::limit($text, 4000) }}</pre>@endif
        <h2>The record as read</h2>
        <form method="post" action="/feeds/{{ $enc }}/set-aside/{{ $record->id }}">@csrf
            <table class="rows"><caption class="hidden-text">Values</caption><thead><tr><th>Column</th><th>Value</th><th>null</th><th>At the failing step</th></tr></thead><tbody>
            @foreach ($record->record as $column => $value)
                <tr><td class="mono"><label for="v-{{ $loop->index }}">{{ $column }}</label></td><td style="width: 55%">@php $held = (string) (is_string($whole[$column] ?? null) ? $whole[$column] : ($value === false ? '' : $value)); @endphp
                @if (strpbrk($held, "\r\n") === false)<input class="input mono" id="v-{{ $loop->index }}" name="values[{{ $column }}]" value="{{ $held }}" @disabled(! $open) @cannot('change') disabled @endcannot style="height: 28px">
                @else{{-- A newline right after the tag is dropped by browsers. --}}<textarea class="textarea mono" id="v-{{ $loop->index }}" name="values[{{ $column }}]" rows="3" @disabled(! $open) @cannot('change') disabled @endcannot>{{ "\n".$held }}</textarea>@endif</td><td><input type="checkbox" name="null[{{ $column }}]" value="1" @checked($value === null || $value === false) aria-label="{{ $column }} is null" @disabled(! $open)></td><td class="mono clip faded">{{ $record->at_step[$column] ?? '' }}</td></tr>
            @endforeach
            </tbody></table>
            @can('change')@if ($open)
            <div class="bar" style="margin: 12px 0 0"><button class="button">Keep the change</button><a class="button" href="/feeds/{{ $enc }}/rehearse?aside={{ $record->id }}">Rehearse it</a><button class="button primary push" name="send" value="1">Send again</button></div>
            @endif @endcan
        </form>
    </section>
    @endif
    <section class="sheet pad">
        <h2>Where it comes from</h2>
        <dl class="facts">
            <div><dt>Key</dt><dd class="mono">{{ $record->key ?: '—' }}</dd></div>
            <div><dt>Came</dt><dd title="{{ Say::exactly($record->at) }}">{{ Say::at($record->at) }}</dd></div>
            <div><dt>Run</dt><dd><a href="/runs/{{ $record->run_id }}">#{{ $record->run_id }}</a></dd></div>
            <div><dt>Receipt</dt><dd class="mono">#{{ $record->sequence }}</dd></div>
            <div><dt>{{ in_array($record->kind, ['line', 'file'], true) ? 'File' : 'Position' }}</dt><dd class="mono small">{{ $record->position }}@if ($record->kind === 'line'), line {{ $record->number }}@endif</dd></div>
            <div><dt>What it was</dt><dd>{{ $record->kind }}</dd></div>
            <div><dt>Definition</dt><dd>version {{ $record->definition->version }}</dd></div>
            @if ($record->edited)<div><dt>Edited by</dt><dd>{{ $record->person }}</dd></div>@endif
            @if ($record->settled_at)<div><dt>Settled</dt><dd>{{ Say::at($record->settled_at) }} by {{ $record->person ?? 'Lighterman' }}</dd></div>@endif
            @if ($record->overtaken_by)<div><dt>Overtaken by</dt><dd>receipt #{{ $record->overtaken_by }}</dd></div>@endif
        </dl>
        @can('see-personal')@if ($whole === null && in_array(Lighterman\Core\Treatment\Judging::HIDDEN, $record->record, true))
        <form method="post" action="/feeds/{{ $enc }}/set-aside/{{ $record->id }}/reveal" style="margin-top: 8px">@csrf<button class="button">Show what masks hide</button><p class="faded small" style="margin-top: 4px">That you looked is written into the audit trail.</p></form>
        @endif @endcan
        <p class="faded small" style="margin-top: 8px">What a mask hides is hidden here too; a hidden value that is left as it is keeps what it was.</p>
    </section>
</div>
@endsection
