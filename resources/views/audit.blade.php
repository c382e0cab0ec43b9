@extends('layout')
@php use App\Support\Say; @endphp
@section('heading', 'Audit trail')
@section('content')
<div class="title"><h1>Audit trail</h1><span class="sub">who changed what; secrets are left out</span></div>
<div class="sheet table-box" tabindex="0" role="region" aria-label="Audit trail"><table class="rows"><caption class="hidden-text">Audit trail</caption><thead><tr><th>When</th><th>Who</th><th>Did</th><th>To</th><th>Before</th><th>After</th></tr></thead><tbody>
@foreach ($entries as $e)<tr><td title="{{ Say::exactly($e->at) }}">{{ Say::at($e->at) }}</td><td>{{ $e->person }}</td><td>{{ $e->action }}</td><td class="clip">{{ $e->subject_kind }} {{ $e->subject }}</td>
@foreach (['before', 'after'] as $side)@php $json = $e->{$side} === null ? '' : json_encode($e->{$side}, JSON_UNESCAPED_SLASHES | JSON_UNESCAPED_UNICODE); @endphp<td class="mono clip" title="{{ Illuminate\Support\Str::limit($json, 1500) }}">{{ Illuminate\Support\Str::limit($json, 90) }}</td>@endforeach</tr>@endforeach
</tbody></table>@include('parts.pages')</div>
@endsection
