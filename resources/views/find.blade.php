@extends('layout')
@section('heading', 'Find')
@section('content')
<div class="title"><h1>Find</h1><span class="sub">{{ $q === '' ? 'type in the box above' : "\"$q\"" }}</span></div>
@if ($feeds->isEmpty() && $systems->isEmpty())
    <div class="sheet empty"><p>{{ $q === '' ? 'Feeds are found by name, table and column; systems by name.' : 'No feed, table, column or system has this in its name.' }}</p></div>
@else
<div class="sheet table-box"><table class="rows" x-data="rows"><caption class="hidden-text">Found</caption><thead><tr><th>Found</th><th>What</th><th>Table</th><th>Columns with it</th></tr></thead><tbody>
@foreach ($systems as $s)<tr tabindex="0" data-text="{{ $s->name }}"><td><a href="/systems/{{ rawurlencode($s->name) }}">{{ $s->name }}</a></td><td class="faded">system</td><td class="mono">{{ $s->place() }}</td><td></td></tr>@endforeach
@foreach ($feeds as $f)<tr tabindex="0" data-text="{{ $f->name }}"><td class="clip"><a href="/feeds/{{ rawurlencode($f->name) }}">{{ $f->name }}</a></td><td class="faded">feed of {{ $f->route->name }}</td><td class="mono clip">{{ $f->definition->body['table'] }} → {{ $f->landed }}</td><td class="mono clip">{{ implode(', ', array_filter(array_column($f->definition->body['shape']['columns'], 'name'), fn ($c) => stripos($c, $q) !== false)) }}</td></tr>@endforeach
</tbody></table></div>
@endif
@endsection
