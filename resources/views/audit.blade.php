@extends('layout')
@php use App\Support\Say; use Illuminate\Support\Facades\Gate; @endphp
@section('heading', 'Audit trail')
@section('content')
<div class="title"><h1>Audit trail</h1><span class="sub">who did what; secrets are left out</span></div>
<form method="get" action="/audit" class="bar" role="search">
    <label for="who">Who</label><div class="select"><select id="who" name="who"><option value="">anybody</option>@foreach ($people as $name)<option @selected($asked['who'] === $name)>{{ $name }}</option>@endforeach</select></div>
    <label for="what">What</label><input class="input" id="what" name="what" value="{{ $asked['what'] }}" placeholder="an act or a thing" maxlength="200" size="24">
    <label for="from">From</label><input class="input" id="from" name="from" type="datetime-local" value="{{ $asked['from'] }}">
    <label for="to">to</label><input class="input" id="to" name="to" type="datetime-local" value="{{ $asked['to'] }}">
    <button class="button">Show</button>@if (array_filter($asked) !== [])<a href="/audit">Everything</a>@endif
</form>
@if ($entries->isEmpty())<div class="sheet empty"><p><strong>No entry fits.</strong></p></div>@else
<div class="sheet table-box" tabindex="0" role="region" aria-label="Audit trail"><table class="rows"><caption class="hidden-text">Audit trail</caption><thead><tr><th>When</th><th>Who</th><th>Did</th><th>To</th><th>Before</th><th>After</th></tr></thead><tbody>
@foreach ($entries as $e)<tr><td title="{{ Say::exactly($e->at) }}">{{ Say::at($e->at) }}</td><td>{{ $e->person }}</td><td>{{ $e->action }}</td><td class="clip">{{ $e->subject_kind }} {{ $e->subject }}</td>
@foreach (['before', 'after'] as $side)@php $values = $e->{$side} === null ? null : (Gate::allows('see-personal') || $e->person === auth()->user()->name ? $e->{$side} : array_diff_key($e->{$side}, ['statement' => 1])); $json = $values === null ? '' : json_encode($values, JSON_UNESCAPED_SLASHES | JSON_UNESCAPED_UNICODE); @endphp<td class="mono clip" title="{{ Illuminate\Support\Str::limit($json, 1500) }}">{{ Illuminate\Support\Str::limit($json, 90) }}</td>@endforeach</tr>@endforeach
</tbody></table>@include('parts.pages')</div>@endif
@endsection
