@extends('layout')
@php use App\Support\Say; @endphp
@section('heading', 'Landed')
@section('content')
<div class="title"><h1>Landed</h1><span class="sub">tables that feeds have landed</span><div class="acts"><a class="button" href="/landed/sql">SQL</a></div></div>
@if ($feeds->isEmpty())
    <div class="sheet empty"><p><strong>Nothing has landed yet.</strong></p><p>Every feed's landed table appears here.</p></div>
@else
<div x-data="rows"><div class="bar"><label class="hidden-text" for="filter">Filter</label><input class="input" id="filter" x-model="typed" placeholder="Filter" autocomplete="off"></div>
<div class="sheet table-box"><table class="rows"><caption class="hidden-text">Landed tables</caption><thead><tr>@foreach (['Landed table' => '', 'Target' => '', 'Feed' => '', 'Landing' => '', 'Columns' => 'num', 'Receipts' => 'num', 'Last delivered' => 'num'] as $head => $class)<th class="{{ $class }}"><button type="button" @click="sort">{{ $head }}</button></th>@endforeach</tr></thead><tbody>
@foreach ($feeds as $feed)@php $body = $feed->definition->body; @endphp<tr tabindex="0" data-text="{{ $feed->landed }} {{ $feed->name }}"><td class="mono clip"><a href="/landed/{{ rawurlencode($feed->name) }}" title="{{ $feed->landed }}">{{ $feed->landed }}</a></td><td class="faded">{{ $feed->route->target->name }}</td><td class="clip">{{ $feed->name }}</td><td>{{ $body['landing'] }}</td><td class="num">{{ count($body['shape']['columns']) - count($body['leave_out']) + count(array_filter($body['stamps'])) }}</td><td class="num" data-v="{{ $feed->sequence }}">{{ Say::count($feed->sequence) }}</td><td class="num" data-v="{{ $feed->last_landed_at?->getTimestamp() ?? 0 }}" title="{{ Say::exactly($feed->last_landed_at) }}">{{ Say::at($feed->last_landed_at) }}</td></tr>@endforeach
</tbody></table></div></div>
@endif
@endsection
