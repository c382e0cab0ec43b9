@extends('layout')
@php $enc = rawurlencode($feed->name); @endphp
@section('heading', "Versions of {$feed->name}")
@section('content')
@include('feeds.head', ['tab' => 'Set-up'])
<form class="bar" method="get">
    @foreach (['a' => $a, 'b' => $b] as $side => $chosen)
        <label for="{{ $side }}">{{ $side === 'a' ? 'Version' : 'beside' }}</label><div class="select"><select id="{{ $side }}" name="{{ $side }}">@foreach ($versions as $v)<option value="{{ $v->version }}" @selected($v->id === $chosen->id)>{{ $v->version }} · {{ App\Support\Say::at($v->created_at) }} · {{ $v->person }}</option>@endforeach</select></div>
    @endforeach
    <button class="button">Compare</button>
</form>
<section class="sheet table-box"><table class="rows"><caption class="hidden-text">What differs</caption><thead><tr><th>What differs</th><th>Version {{ $a->version }}</th><th>Version {{ $b->version }}</th></tr></thead><tbody>
@foreach ($rows as $row)<tr><td class="mono wrap">{{ $row['name'] }}</td><td class="wrap">{{ $row['before'] }}</td><td class="wrap">{{ $row['after'] }}</td></tr>@endforeach
@if ($rows === [])<tr><td colspan="3" class="faded">{{ $a->id === $b->id ? 'This is one version; choose another to compare it with.' : 'They say the same.' }}</td></tr>@endif
</tbody></table></section>
@can('change')
@if ($a->id !== $feed->definition_id)
<section class="sheet pad" style="margin-top: 14px"><h2>Go back to version {{ $a->version }}</h2>
    <p class="faded small">What it said becomes version {{ $versions->max('version') + 1 }}, and holds from the next batch. Rows that have landed stay as they are.</p>
    @if ($trouble)<div class="note caution">{{ $trouble->getMessage() }}</div>
    @elseif ($preparation?->exists && $preparation->statements)<h3>Runs on {{ $feed->route->target->name }} first</h3><pre class="sql" tabindex="0">{{ implode("\n", $preparation->statements) }}</pre>@endif
    @foreach ($preparation?->obstacles() ?? [] as $o)<div class="finding"><span class="result r-failed">in the way</span><span>{{ $o->said }} <span class="remedy"><code>{{ $o->remedy }}</code></span></span></div>@endforeach
    <form method="post" action="/feeds/{{ $enc }}/versions/back">@csrf<input type="hidden" name="version" value="{{ $a->version }}"><button class="button primary" @disabled($trouble || $preparation?->obstacles())>Go back to version {{ $a->version }}</button></form>
</section>
@endif
@endcan
@endsection
