@extends('layout')
@php use App\Support\Say; @endphp
@section('heading', 'Feeds')
@section('content')
<form method="post" action="/feeds/act" x-data="rows">
@csrf
<div class="title"><h1>Feeds</h1><span class="sub">{{ Say::count($frame->feeds()->count()) }} in all</span><div class="acts">@can('change')<a class="button primary" href="/feeds/new">New feeds</a>@endcan</div></div>
@if ($feeds->isEmpty())
    <div class="sheet empty"><p><strong>There is no feed yet.</strong></p><p>A feed carries one table from one system to another. You can set up many at once.</p>@can('change')<p><a class="button primary" href="/feeds/new">New feeds</a></p>@endcan</div>
@else
<div class="bar">
    <label class="hidden-text" for="filter">Filter</label><input class="input" id="filter" x-model="typed" placeholder="Filter by name, table, state" autocomplete="off">
    <span class="faded small"><span x-text="shown">{{ $feeds->count() }}</span> shown</span>
    @can('change')
    <span class="push faded small"><span x-text="ticked">0</span> ticked</span>
    <button type="button" class="button plain" @click="tickShown">Tick all shown</button>
    <button class="button" name="act" value="runNow">Run now</button><button class="button" name="act" value="pause">Pause</button><button class="button" name="act" value="resume">Resume</button>
    @endcan
</div>
<div class="sheet table-box">
    <table class="rows close">
        <caption class="hidden-text">All feeds</caption>
        <thead><tr>@can('change')<th><span class="hidden-text">Tick</span></th>@endcan @foreach (['Feed' => '', 'Route' => '', 'Source table' => '', 'Landed table' => '', 'Capture' => '', 'Landing' => '', 'State' => '', 'Behind' => 'num', 'Promise' => 'num', 'Runs' => ''] as $head => $class)<th class="{{ $class }}"><button type="button" @click="sort">{{ $head }}</button></th>@endforeach</tr></thead>
        <tbody>
        @foreach ($feeds as $feed)
            @php [$body, $state, $behind, $name] = [$feed->definition->body, $feed->state(), $feed->behind(), $feed->name]; @endphp
            <tr tabindex="0" data-text="{{ $name }} {{ $body['table'] }} {{ $feed->landed }} {{ $state }} {{ $feed->capture }} {{ $feed->route->name }}">
                @can('change')<td><input type="checkbox" name="feeds[]" value="{{ $name }}" aria-label="Tick {{ $name }}"></td>@endcan
                <td class="clip" data-v="{{ $name }}"><a href="/feeds/{{ rawurlencode($name) }}" title="{{ $name }}">{{ Say::name($name) }}</a></td>
                <td class="faded">{{ $feed->route->source->name }} → {{ $feed->route->target->name }}</td>
                <td class="mono clip">{{ isset($body['files']) ? substr($body['table'], 6) : $body['table'] }}</td><td class="mono clip">{{ $feed->landed }}</td>
                <td>{{ $feed->capture }}@if ($body['watermark']) <span class="faded mono">{{ $body['watermark'] }}</span>@endif</td><td>{{ $body['landing'] }}</td>
                <td data-v="{{ $state }}">{{ App\Support\Mark::state($state) }}</td>
                <td class="num" data-v="{{ $behind ?? -1 }}">{{ Say::span($behind) }}</td><td class="num faded" data-v="{{ $feed->promise_seconds }}">{{ Say::span((float) $feed->promise_seconds) }}</td>
                @php $runs = $feed->bringsChanges() ? 'continuous' : Lighterman\Core\Definition\Schedule::fromArray($body['schedule'])->reading(); @endphp
                <td class="faded clip" style="max-width: 112px" title="{{ $runs }}">{{ $runs }}</td>
            </tr>
        @endforeach
        </tbody>
    </table>
    @include('parts.pages')
</div>
@endif
</form>
@endsection
