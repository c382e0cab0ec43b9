@extends('layout')
@php
    use App\Pages\LandedTables;
    use App\Support\Say;
    $in = implode('.', array_map(LandedTables::quoted(...), explode('.', $name, 2)));
@endphp
@section('heading', "Landed: {$name}")
@section('content')
<div class="title"><h1>{{ $name }}</h1><span class="sub">in {{ $lake->name }}, found by a scan; no feed lands here</span>
    <div class="acts">@can('change')<a class="button" href="/landed/sql?{{ http_build_query(['target' => $lake->name, 'sql' => "SELECT *\nFROM {$in}\nLIMIT 50"]) }}">SQL</a>@endcan</div></div>
<div class="two" style="align-items: start">
@include('landed.files', ['heading' => 'Files', 'kept' => $files])
<section class="sheet table-box" tabindex="0" role="region" aria-label="Columns"><table class="rows"><caption class="hidden-text">Columns</caption><thead><tr><th>Column</th><th>Type</th></tr></thead><tbody>
@foreach ($table->shape->columns as $c)<tr><td class="mono">{{ $c->name }}</td><td class="mono faded">{{ $c->type }}</td></tr>@endforeach
@foreach (array_filter(explode('/', (string) array_key_first($files->partitions))) as $folder)@continue(in_array(strstr($folder, '=', true), $table->shape->names(), true))<tr><td class="mono">{{ strstr($folder, '=', true) }}</td><td class="faded">the folder says it</td></tr>@endforeach
</tbody></table></section>
</div>
@endsection
