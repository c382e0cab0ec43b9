@extends('layout')
@php
    use App\Support\Say;
    use Illuminate\Support\Str;
    $enc = rawurlencode($feed->name);
    $filter = array_filter(['reason' => $reason, 'state' => $state === 'waiting' ? '' : $state, 'holds' => $holds]);
@endphp
@section('heading', "Set aside: {$feed->name}")
@section('content')
@include('feeds.head', ['tab' => 'Set aside'])
@if ($groups !== [])
<section class="sheet table-box"><table class="rows" x-data="rows"><caption class="hidden-text">Waiting records by reason</caption><thead><tr><th>Reason</th><th>Where</th><th class="num">Waiting</th><th>Last 24 hours</th><th>The latest</th><th>Came</th></tr></thead><tbody>
@foreach ($groups as $g)
    @php $hours = array_map(intval(...), json_decode($g->hours)); $most = max(1, ...$hours); @endphp
    <tr tabindex="0" data-text="{{ $g->reason }} {{ $g->step }}"><td><a href="?reason={{ $g->reason }}">{{ str_replace('_', ' ', $g->reason) }}</a></td><td class="clip" title="{{ $g->step }}">{{ $g->step }}</td><td class="num strong">{{ Say::count($g->records) }}</td>
    <td><svg width="120" height="22" role="img" aria-label="by hour: {{ implode(', ', $hours) }}">@foreach ($hours as $i => $h)<rect x="{{ $i * 5 }}" y="{{ 21 - 20 * $h / $most }}" width="4" height="{{ 20 * $h / $most + 1 }}" fill="currentColor" opacity="{{ $h ? 0.8 : 0.18 }}"/>@endforeach</svg></td>
    <td class="clip" title="{{ $g->sample }}">{{ Str::limit($g->sample, 90) }}</td><td title="{{ Say::exactly(Carbon\CarbonImmutable::parse($g->latest)) }}">{{ Say::at(Carbon\CarbonImmutable::parse($g->latest)) }}</td></tr>
@endforeach
</tbody></table></section>
@endif
<form class="bar" method="get" style="margin-top: 12px">
    <label for="state">Records</label><div class="select"><select id="state" name="state">@foreach (['waiting' => 'that wait', 'asked' => 'to be sent again', 'sent' => 'sent again', 'overtaken' => 'overtaken by a newer version', 'let go' => 'let go'] as $s => $word)<option value="{{ $s }}" @selected($state === $s)>{{ $word }}</option>@endforeach</select></div>
    <label for="holds" class="small">that hold</label><input class="input" id="holds" name="holds" value="{{ $holds }}" placeholder="a key, or part of the message">
    @if ($reason !== '')<input type="hidden" name="reason" value="{{ $reason }}"><span class="chip">{{ str_replace('_', ' ', $reason) }}</span><a class="small" href="?">all reasons</a>@endif
    <button class="button">Show</button>
    <span class="faded">{{ Say::count($count) }} {{ $count === 1 ? 'record' : 'records' }}</span>
    <a class="button push" href="/feeds/{{ $enc }}/set-aside.jsonl?{{ http_build_query($filter) }}">Export as JSON Lines</a>
</form>
@if ($records->isEmpty())
    <div class="sheet empty"><p><strong>{{ $state === 'waiting' ? 'Nothing is set aside'.($holds.$reason === '' ? '' : ' that fits').'.' : 'There is none.' }}</strong></p><p>@if ($state === 'waiting')A record that fails a check, or cannot be {{ isset($feed->definition->body['files']) ? 'read or ' : '' }}treated, waits here with its reason until it is sent again or let go.@endif</p></div>
@else
<form method="post" action="/feeds/{{ $enc }}/set-aside?{{ http_build_query($filter) }}" x-data="rows">@csrf
<section class="sheet table-box"><table class="rows"><caption class="hidden-text">Records</caption><thead><tr>@can('change')<th><span class="hidden-text">Tick</span></th>@endcan<th>Record</th><th>Key</th><th>Why</th><th>Run</th><th>Came</th>@if ($state !== 'waiting')<th>Note</th>@endif</tr></thead><tbody>
@foreach ($records as $record)
    <tr tabindex="0" data-text="{{ $record->id }}">@can('change')<td><input type="checkbox" name="records[]" value="{{ $record->id }}" aria-label="Record {{ $record->id }}"></td>@endcan<td><a href="/feeds/{{ $enc }}/set-aside/{{ $record->id }}">#{{ $record->id }}</a>@if ($record->edited) <span class="faded small">edited</span>@endif</td><td class="mono clip">{{ $record->key }}</td><td class="clip" style="max-width: 520px" title="{{ $record->message }}">{{ $record->message }}</td><td><a href="/runs/{{ $record->run_id }}">#{{ $record->run_id }}</a></td><td title="{{ Say::exactly($record->at) }}">{{ Say::at($record->at) }}</td>@if ($state !== 'waiting')<td class="clip">{{ $record->note }}</td>@endif</tr>
@endforeach
</tbody></table></section>
@if ($pages > 1)@include('parts.pages')@endif
@can('change')
@if ($state === 'waiting')
<div class="bar" style="margin-top: 10px">
    <label class="small"><input type="checkbox" name="all" value="1"> all {{ Say::count($count) }}, not only the ticked</label>
    <button class="button primary" name="act" value="send">Send again</button>
    <span class="push"></span><label for="note" class="small">or</label><input class="input" id="note" name="note" maxlength="500" placeholder="why they are let go" style="width: 260px"><button class="button danger" name="act" value="let_go">Let go</button>
</div>
<div class="bar">
    <label for="set-column" class="small">Set in the chosen</label><div class="select"><select id="set-column" name="column"><option value="">a column…</option>@foreach ($feed->definition->parsed()->carried()->names() as $column)<option>{{ $column }}</option>@endforeach</select></div><label for="set-value" class="small">to</label><input class="input mono" id="set-value" name="value" autocomplete="off"><label class="small"><input type="checkbox" name="null" value="1"> null</label><button class="button" name="act" value="edit">Set it</button>
</div>
<p class="faded small">Records are sent again as the feed now treats them, in the order in which they came. One whose row has changed since is never sent after the newer version.@if ($feed->kind()->readsWhole()) This feed reads the whole table anew each time: what is still wrong at the source is set aside again then, so mend it there, or by a treatment.@endif</p>
@endif
@endcan
</form>
@endif
@endsection
