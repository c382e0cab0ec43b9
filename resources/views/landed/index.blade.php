@extends('layout')
@php use App\Support\Say; @endphp
@section('heading', 'Landed')
@section('content')
<div class="title"><h1>Landed</h1><span class="sub">tables that feeds have landed{{ $lakes->isEmpty() ? '' : ', and those that lie in lakes' }}</span><div class="acts">
    @can('change')@foreach ($lakes as $lake)<form method="post" action="/landed/scan">@csrf<input type="hidden" name="system" value="{{ $lake->name }}"><button class="button" title="Looks for tables that no feed has landed">Scan {{ $lake->name }}</button></form>@endforeach @endcan
    @can('change')<a class="button" href="/landed/sql">SQL</a>@endcan</div></div>
@foreach ($troubles as $trouble)<div class="note trouble" role="alert"><p class="strong">{{ $trouble->getMessage() }}</p><p>@include('parts.remedy', ['remedy' => $trouble->remedy()])</p></div>@endforeach
@if (session('unreadable'))<div class="note caution"><p class="strong">{{ count(session('unreadable')) === 1 ? 'One file could not be read:' : count(session('unreadable')).' files could not be read:' }}</p>@foreach (session('unreadable') as $file => $why)<p class="small"><span class="mono">{{ $file }}</span>: {{ $why }}</p>@endforeach</div>@endif
@if ($feeds->isEmpty() && $found === [])
    <div class="sheet empty"><p><strong>Nothing has landed yet.</strong></p><p>Every feed's landed table appears here.</p></div>
@endif
@if ($feeds->isNotEmpty())
<div x-data="rows"><div class="bar"><label class="hidden-text" for="filter">Filter</label><input class="input" id="filter" x-model="typed" placeholder="Filter" autocomplete="off"></div>
<div class="sheet table-box"><table class="rows"><caption class="hidden-text">Landed tables</caption><thead><tr>@foreach (['Landed table' => '', 'Target' => '', 'Feed' => '', 'Landing' => '', 'Columns' => 'num', 'Rows' => 'num', 'Size' => 'num', 'Files' => 'num', 'Receipts' => 'num', 'Last delivered' => 'num'] as $head => $class)<th class="{{ $class }}"><button type="button" @click="sort">{{ $head }}</button></th>@endforeach</tr></thead><tbody>
@foreach ($feeds as $feed)
@php
    $body = $feed->definition->body;
    $k = $kept[$feed->route->target->name][$feed->landed] ?? null;
@endphp
<tr tabindex="0" data-text="{{ $feed->landed }} {{ $feed->name }} {{ $feed->route->target->name }}"><td class="mono clip"><a href="/landed/{{ rawurlencode($feed->name) }}" title="{{ $feed->landed }}">{{ $feed->landed }}</a></td><td class="faded">{{ $feed->route->target->name }}</td><td class="clip">{{ $feed->name }}</td><td>{{ $body['landing'] }}</td><td class="num">{{ count($body['shape']['columns']) - count($body['leave_out']) + count(array_filter($body['stamps'])) }}</td>
<td class="num" data-v="{{ $k?->rows ?? -1 }}" @if ($k && $k->rows !== null && ! $k->exact) title="estimated by the target" @endif>@if ($k && $k->rows !== null)@unless ($k->exact)<span class="faded">about</span> @endunless{{ Say::count($k->rows) }}@else<span class="faded">—</span>@endif</td><td class="num" data-v="{{ $k?->bytes ?? -1 }}">{{ $k ? Say::bytes($k->bytes) : '—' }}</td><td class="num" data-v="{{ $k?->files ?? -1 }}">@if ($k && $k->files !== null){{ Say::count($k->files) }}@else<span class="faded">—</span>@endif</td>
<td class="num" data-v="{{ $feed->sequence }}">{{ Say::count($feed->sequence) }}</td><td class="num" data-v="{{ $feed->last_landed_at?->getTimestamp() ?? 0 }}" title="{{ Say::exactly($feed->last_landed_at) }}">{{ Say::at($feed->last_landed_at) }}</td></tr>@endforeach
</tbody></table></div></div>
@endif
@foreach ($found as $lake => $tables)
<section class="sheet table-box" style="margin-top: 14px" x-data="rows"><h2 class="pad" style="margin: 0; padding-bottom: 0">In {{ $lake }}, landed by no feed</h2><table class="rows"><caption class="hidden-text">Tables in {{ $lake }} that no feed has landed</caption><thead><tr><th>Table</th><th class="num">Columns</th><th class="num">Rows</th><th class="num">Size</th><th class="num">Files</th></tr></thead><tbody>
@foreach ($tables as $name => $k)<tr tabindex="0" data-text="{{ $name }}"><td class="mono clip"><a href="/landed/found?{{ http_build_query(['system' => $lake, 'table' => $name]) }}">{{ $name }}</a></td><td class="num">{{ count($k->shape->columns) }}</td><td class="num">{{ Say::count($k->rows) }}</td><td class="num">{{ Say::bytes($k->bytes) }}</td><td class="num">{{ Say::count($k->files) }}</td></tr>@endforeach
</tbody></table></section>
@endforeach
@endsection
