@php use App\Support\Say; @endphp
@if ($runs->isEmpty())
    <div class="empty"><p>It has not run yet.@if ($feed->due_at && ! $feed->paused_at) A worker takes it up shortly.@endif</p></div>
@else
<table class="rows close" x-data="rows">
    <caption class="hidden-text">Runs</caption>
    <thead><tr><th>Run</th><th>Started</th><th>What</th><th>From → to</th><th class="num">Read</th><th class="num">Inserted</th><th class="num">Updated</th><th class="num">Deleted</th><th class="num">Unchanged</th><th class="num">Kept out</th><th class="num">Took</th><th>Ended</th></tr></thead>
    <tbody>
    @foreach ($runs as $run)
        <tr tabindex="0" data-text="{{ $run->id }}">
            <td><a href="/runs/{{ $run->id }}">#{{ $run->id }}</a></td>
            <td><span title="{{ Say::exactly($run->started_at) }}">{{ Say::at($run->started_at) }}</span></td>
            @if ($run->empty_runs)
                <td class="faded" colspan="8">{{ $run->empty_runs === 1 ? 'nothing new' : 'nothing new, '.Say::count($run->empty_runs).' times until '.Say::at($run->ended_at) }}</td>
                <td class="num faded" title="reading, on average">{{ Say::took($run->reading_ms / 1000 / $run->empty_runs) }}</td>
            @elseif ($run->kind === App\Models\Run::JOIN)
                <td class="faded">{{ App\Support\Say::kind($run->kind) }}</td>
                <td class="faded" colspan="7">{{ $run->window_from === null ? '' : "{$run->window_from} → {$run->window_to}" }}</td>
                <td class="num">{{ Say::took($run->seconds()) }}</td>
            @else
                <td class="faded">{{ App\Support\Say::kind($run->kind) }}</td>
                <td class="mono clip" title="{{ $run->window_from }} → {{ $run->window_to }}">{{ $run->kind === 'reload' ? 'whole table' : App\Support\Say::window((string) $run->window_from, (string) $run->window_to) }}</td>
                <td class="num">{{ Say::count($run->read) }}</td><td class="num">{{ Say::count($run->inserted) }}</td><td class="num">{{ Say::count($run->updated) }}</td><td class="num">{{ Say::count($run->deleted) }}</td><td class="num" title="{{ $run->superseded ? 'and '.Say::count($run->superseded).' superseded by later changes of the same batch' : '' }}">{{ Say::count($run->unchanged) }}</td>
                <td class="num {{ $run->set_aside ? 's-late' : '' }}" title="{{ Say::count($run->dropped) }} dropped, {{ Say::count($run->set_aside) }} set aside, {{ Say::count($run->warned) }} landed with a warning">{{ Say::count($run->dropped + $run->set_aside) }}</td>
                <td class="num">{{ Say::took($run->seconds()) }}</td>
            @endif
            <td class="{{ in_array($run->state, ['failed', 'lost'], true) ? 's-failed' : ($run->state === 'held' ? 's-held' : 'faded') }}">{{ $run->state }}</td>
        </tr>
    @endforeach
    </tbody>
</table>
@endif
