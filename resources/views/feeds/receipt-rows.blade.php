@php use App\Support\Say; @endphp
@if ($receipts->isEmpty())
    <div class="empty"><p>Nothing has landed yet.@if (! $feed->paused_at) A worker reads the log within a few seconds.@endif</p></div>
@else
<table class="rows" x-data="rows">
    <caption class="hidden-text">The latest receipts</caption>
    <thead><tr><th>Landed at</th><th>From → to</th><th class="num">Read</th><th class="num">Inserted</th><th class="num">Updated</th><th class="num">Deleted</th><th class="num">Unchanged</th><th class="num">Superseded</th><th>Receipt</th></tr></thead>
    <tbody>
    @foreach ($receipts as $r)
        <tr tabindex="0" data-text="{{ $r->sequence }}">
            <td><span title="{{ Say::exactly($r->landed_at) }}">{{ Say::at($r->landed_at) }}</span></td>
            <td class="mono clip" title="{{ $r->from() }} → {{ $r->to() }}">{{ Say::places($r->from(), $r->to()) }}</td>
            @foreach (['read', 'inserted', 'updated', 'deleted', 'unchanged', 'superseded'] as $count)<td class="num {{ $r->{$count} ? '' : 'faded' }}">{{ Say::count($r->{$count}) }}</td>@endforeach
            <td><a class="mono" href="/runs/{{ $r->run_id }}">{{ $r->number() }}</a></td>
        </tr>
    @endforeach
    </tbody>
</table>
@endif
