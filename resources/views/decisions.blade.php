@extends('layout')
@php use App\Support\Say; @endphp
@section('heading', 'Decisions')
@section('content')
<div class="title"><h1>Decisions</h1><span class="sub">{{ $waiting->isEmpty() && $aside->isEmpty() ? 'nothing waits for you' : ($waiting->count() + $aside->count()).' waiting, the gravest first' }}</span></div>
@if ($aside->isNotEmpty())
<div class="sheet table-box" style="margin-bottom: 14px"><table class="rows" x-data="rows"><caption class="hidden-text">Records set aside</caption><thead><tr><th>Feed</th><th class="num">Records set aside</th><th>Since</th><th>Most of them because</th><th></th></tr></thead><tbody>
@foreach ($aside as $a)<tr tabindex="0" data-text="{{ $a->name }}"><td class="clip"><a href="/feeds/{{ rawurlencode($a->name) }}/set-aside">{{ $a->name }}</a></td><td class="num strong">{{ Say::count($a->records) }}</td><td>{{ Say::at(Carbon\CarbonImmutable::parse($a->since)) }}</td><td class="clip">{{ str_replace('_', ' ', $a->reason) }}: {{ $a->step }}</td><td><a class="button" href="/feeds/{{ rawurlencode($a->name) }}/set-aside">Look at them</a></td></tr>@endforeach
</tbody></table></div>
@endif
@if ($waiting->isEmpty() && $aside->isNotEmpty())
@elseif ($waiting->isEmpty())
    <div class="sheet empty"><p><strong>Nothing waits for a decision.</strong></p><p>Feeds that stop, that are held because a table changed its shape, or that break their promise are listed here.</p></div>
@else
<div class="sheet table-box"><table class="rows" x-data="rows"><caption class="hidden-text">Waiting for a decision</caption><thead><tr><th>Feed</th><th>State</th><th class="num">Behind</th><th>What happened, and what to do</th><th></th></tr></thead><tbody>
@foreach ($waiting as $feed)<tr tabindex="0" data-text="{{ $feed->name }}"><td class="clip"><a href="/feeds/{{ rawurlencode($feed->name) }}">{{ $feed->name }}</a></td><td>{{ App\Support\Mark::state($feed->state()) }}</td><td class="num">{{ Say::span($feed->behind()) }}</td>
<td class="wrap">@if ($feed->log()?->hasFailed())<b>{{ $feed->log()->trouble->message }}</b> <span class="faded">@include('parts.remedy', ['remedy' => $feed->log()->trouble->remedy, 'log' => $feed->log()])</span>@elseif ($feed->trouble && $feed->standing !== 'carried')<b>{{ $feed->trouble->message }}</b> <span class="faded">@include('parts.remedy', ['remedy' => $feed->trouble->remedy, 'log' => null])</span>@else Promised at most {{ Say::span((float) $feed->promise_seconds) }}. <span class="faded">See its runs; a slow source, a long open transaction or too rare a schedule are the usual reasons.</span>@endif</td>
<td>@can('change')@if ($feed->standing !== 'carried' && $feed->trouble?->remedy->act !== Lighterman\Core\Trouble\Act::LoadAgain)<form method="post" action="/feeds/act">@csrf<input type="hidden" name="feeds[]" value="{{ $feed->name }}"><button class="button" name="act" value="resume">Resume</button></form>@endif @endcan</td></tr>@endforeach
</tbody></table></div>
@endif
@endsection
