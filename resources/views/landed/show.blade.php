@extends('layout')
@php
    use App\Support\Say;
    $enc = rawurlencode($feed->name);
    $tables = $definition->landedTable()->tables();
    $first = $tables[array_key_first($tables)]->name;
@endphp
@section('heading', "Landed: {$feed->landed}")
@section('content')
<div class="title"><h1>{{ $feed->landed }}</h1><span class="sub">in {{ $feed->route->target->name }}, by feed <a href="/feeds/{{ $enc }}">{{ $feed->name }}</a> · last delivered <span title="{{ Say::exactly($feed->last_landed_at) }}">{{ Say::at($feed->last_landed_at) }}</span></span>
    <div class="acts"><a class="button" href="/landed/{{ $enc }}?count=1">Count both sides</a>@can('change')<a class="button" href="/landed/sql?target={{ rawurlencode($feed->route->target->name) }}&sql={{ rawurlencode("SELECT *\nFROM \"{$first->schema}\".\"{$first->name}\"\nLIMIT 50") }}">SQL</a>@endcan</div></div>
@if ($trouble)<div class="note trouble" role="alert"><p class="strong">{{ $trouble->getMessage() }}</p><p>@include('parts.remedy', ['remedy' => $trouble->remedy()])</p></div>@endif
@if ($counts)
    @php
        $landed = array_sum($counts['target']);
        $apart = $counts['source'] - $landed;
    @endphp
    <div class="note {{ $apart === 0 ? 'good' : 'caution' }}"><b>{{ Say::count($counts['source']) }}</b> rows at the source, <b>{{ Say::count($landed) }}</b> landed{{ count($tables) > 1 ? ' ('.implode(', ', array_map(fn ($fork) => Say::count($counts['target'][$fork]).' in '.$tables[$fork]->name, array_keys($tables))).')' : '' }}: {{ $apart === 0 ? 'the same number' : Say::count(abs($apart)).($apart > 0 ? ' fewer landed' : ' more landed') }}, counted one after the other at {{ Say::at(now()) }}. @if ($apart < 0 && $counts['deletes'] !== '')<span class="faded">{{ $counts['deletes'] }}</span>@endif</div>
@endif
<div @class(['two', 'uneven' => $row]) style="align-items: start">
<div class="stack">
<section class="sheet pad">
    <h2>One key, both sides</h2>
    @if ($definition->origin->key === [])
        <p class="faded">The feed has no key to look a row up by.</p>
    @else
    <form class="bar" action="/landed/{{ $enc }}">@foreach ($definition->origin->key as $column)<label for="k{{ $loop->index }}" class="mono">{{ $column }}</label><input class="input mono" style="width: 150px" id="k{{ $loop->index }}" name="key[{{ $column }}]" value="{{ $key[$column] ?? '' }}" required>@endforeach<button class="button primary">Compare</button></form>
    @if ($row)
        @if (! $row->source && ! $row->landed)<p class="faded">Neither side has a row with this key.</p>
        @else
        <div class="table-box" tabindex="0" role="region" aria-label="Values"><table class="rows"><thead><tr><th>Column</th><th>At the source</th><th>Landed as</th><th>Landed{{ $row->table && count($tables) > 1 ? " in {$row->table}" : '' }}</th></tr></thead><tbody>
        @foreach ($row->columns as $i => $c)
            @php
                $raw = $c['from'] === null ? false : ($row->source[$c['from']] ?? null);
                $raw = $c['hidden'] && is_string($raw) && ! Gate::allows('change') ? Lighterman\Core\Treatment\Judging::HIDDEN : $raw;
            @endphp
            <tr class="{{ $row->differs($i) ? 'differs' : '' }}"><td class="mono">{{ $c['from'] ?? '' }}@if ($c['from'] === null)<span class="faded">made on the way</span>@endif</td>@foreach ([[$row->source, $raw], null, [$row->landed, $c['as'] === null ? false : ($row->landed[$c['as']] ?? null)]] as $side)@if ($side === null)<td class="mono">{{ $c['as'] }}@if ($c['as'] === null)<span class="faded">not landed</span>@elseif ($c['from'] !== null && $c['treated']) <span class="faded">treated</span>@endif</td>@else<td class="mono clip" title="{{ $side[1] }}">@if ($side[1] === false)<span class="faded">—</span>@elseif (! $side[0])<span class="faded">no row</span>@elseif ($side[1] === null)<span class="faded">null</span>@else{{ Illuminate\Support\Str::limit($side[1], 80) }}@endif</td>@endif @endforeach</tr>
        @endforeach
        </tbody></table></div>
        @endif
    @endif
    @endif
</section>
@foreach ($files as $fork => $kept)@include('landed.files', ['heading' => count($files) > 1 ? "Files of {$tables[$fork]->name}" : 'Files'])@endforeach
@if (count($history) > 1)
<section class="sheet pad"><h2>Shape history</h2>
    @foreach ($history as $h)<div class="small" style="padding: 6px 0; border-top: 1px solid var(--hair)"><b>Version {{ $h->version }}</b> <span class="faded" title="{{ Say::exactly($h->at) }}">{{ Say::at($h->at, false) }}, by {{ $h->person }} · {{ $h->columns }} columns</span>@forelse ($h->changes as $said)<br>{{ $said }}@empty<br><span class="faded">as it began</span>@endforelse</div>@endforeach
</section>
@endif
</div>
<section class="sheet table-box" tabindex="0" role="region" aria-label="Values"><table class="rows"><caption class="hidden-text">Columns</caption><thead><tr><th>Column</th><th>Type</th><th>From</th></tr></thead><tbody>
@foreach ($tables as $fork => $table)
@if (count($tables) > 1)<tr><th colspan="3" scope="rowgroup"><span class="mono">{{ $table->name }}</span> <span class="faded">{{ $fork === '' ? 'takes no fork' : "fork {$fork}" }}</span></th></tr>@endif
@foreach ($table->shape->columns as $c)<tr><td class="mono">{{ $c->name }}</td><td class="mono faded">{{ $c->type->kind->value === 'enum' ? 'text' : $c->type }}</td><td class="faded">{{ in_array($c->name, $table->key, true) ? 'key' : ($c->name === $definition->origin->watermarkColumn() ? 'watermark' : ($definition->treatment->isEmpty() ? 'as at the source' : '')) }}</td></tr>@endforeach
@foreach ($table->technical() as $c)<tr><td class="mono">{{ $c->name }}</td><td class="mono faded">{{ $c->type }}</td><td class="faded">stamped</td></tr>@endforeach
@endforeach
</tbody></table></section>
</div>
@endsection
