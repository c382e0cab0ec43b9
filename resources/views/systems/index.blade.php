@extends('layout')
@php use App\Support\Say; @endphp
@section('heading', 'Systems')
@section('content')
<div class="title"><h1>Systems</h1><span class="sub">databases, lakes and folders that rows come from or go to</span><div class="acts">@can('change')<a class="button primary" href="/systems/new">Add a system</a>@endcan</div></div>
@if ($systems->isEmpty())
    <div class="sheet empty"><p><strong>There is no system yet.</strong></p><p>Add what to read from, and what to land in. Adding one tests it and says what is missing.</p>@can('change')<p><a class="button primary" href="/systems/new">Add a system</a></p>@endcan</div>
@else
<div class="sheet table-box"><table class="rows" x-data="rows"><caption class="hidden-text">Systems</caption>
    <thead><tr><th>System</th><th>Kind</th><th>Place</th><th>User</th><th>Used as</th><th>As source</th><th>As target</th><th>Tested</th></tr></thead>
    <tbody>@foreach ($systems as $s)
        <tr tabindex="0" data-text="{{ $s->name }}"><td class="clip"><a href="/systems/{{ rawurlencode($s->name) }}">{{ $s->name }}</a></td><td class="faded">{{ $s->connector()->word() }}</td><td class="mono clip">{{ $s->place() }}</td><td class="mono">{{ $s->settings['user'] ?? '—' }}</td>
            <td class="faded">{{ implode(' and ', array_filter([$s->routes_from_count ? 'source' : '', $s->routes_to_count ? 'target' : ''])) ?: '—' }}</td>
            @foreach (['source', 'target'] as $as)
                @php $results = array_count_values(array_column($s->findings[$as] ?? [], 'result')); @endphp
                <td>@if (! $results)<span class="faded">—</span>@elseif ($results['failed'] ?? 0)<span class="r-failed">{{ $results['failed'] }} failed</span>@elseif ($results['warned'] ?? 0)<span class="r-warned">{{ $results['warned'] }} warned</span>@else<span class="r-passed">all passed</span>@endif</td>
            @endforeach
            <td class="faded" title="{{ Say::exactly($s->checked_at) }}">{{ $s->checked_at ? Say::at($s->checked_at) : 'never' }}</td></tr>
    @endforeach</tbody></table></div>
@endif
@endsection
