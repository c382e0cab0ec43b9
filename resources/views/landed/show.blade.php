@extends('layout')
@php
    use App\Support\Say;
    $enc = rawurlencode($feed->name);
@endphp
@section('heading', "Landed: {$feed->landed}")
@section('content')
<div class="title"><h1>{{ $feed->landed }}</h1><span class="sub">in {{ $feed->route->target->name }}, by feed <a href="/feeds/{{ $enc }}">{{ $feed->name }}</a> · last delivered <span title="{{ Say::exactly($feed->last_landed_at) }}">{{ Say::at($feed->last_landed_at) }}</span></span>
    <div class="acts"><a class="button" href="/landed/{{ $enc }}?count=1">Count both sides</a><a class="button" href="/landed/sql?target={{ rawurlencode($feed->route->target->name) }}&sql={{ rawurlencode("SELECT *\nFROM \"{$definition->landed->schema}\".\"{$definition->landed->name}\"\nLIMIT 50") }}">SQL</a></div></div>
@if ($trouble)<div class="note trouble" role="alert"><p class="strong">{{ $trouble->getMessage() }}</p><p>{{ $trouble->remedy() }}</p></div>@endif
@if ($counts)
    @php $apart = $counts['source'] - $counts['target']; @endphp
    <div class="note {{ $apart === 0 ? 'good' : 'caution' }}"><b>{{ Say::count($counts['source']) }}</b> rows at the source, <b>{{ Say::count($counts['target']) }}</b> landed: {{ $apart === 0 ? 'the same number' : Say::count(abs($apart)).($apart > 0 ? ' fewer landed' : ' more landed') }}, counted one after the other at {{ Say::at(now()) }}. @if ($apart < 0 && $definition->capture->value === 'watermark')<span class="faded">A watermark does not see deletes.</span>@endif</div>
@endif
<div class="two" style="align-items: start; grid-template-columns: {{ $sides ? '3fr 2fr' : '1fr 1fr' }}">
<section class="sheet pad">
    <h2>One key, both sides</h2>
    @if ($definition->key === [])
        <p class="faded">The feed has no key to look a row up by.</p>
    @else
    <form class="bar" action="/landed/{{ $enc }}">@foreach ($definition->key as $column)<label for="k{{ $loop->index }}" class="mono">{{ $column }}</label><input class="input mono" style="width: 150px" id="k{{ $loop->index }}" name="key[{{ $column }}]" value="{{ $key[$column] ?? '' }}" required>@endforeach<button class="button primary">Compare</button></form>
    @if ($sides)
        @if (! $sides['source'] && ! $sides['target'])<p class="faded">Neither side has a row with this key.</p>
        @else
        <div class="table-box" tabindex="0" role="region" aria-label="Values"><table class="rows"><thead><tr><th>Column</th><th>At the source</th><th>Landed</th></tr></thead><tbody>
        @foreach (array_unique([...$definition->carried()->names(), ...array_values($definition->stamps())]) as $column)
            @php [$a, $b, $stamp] = [$sides['source'][$column] ?? null, $sides['target'][$column] ?? null, in_array($column, $definition->stamps(), true)]; @endphp
            <tr class="{{ ! $stamp && ($a !== $b || ! $sides['source'] || ! $sides['target']) ? 'differs' : '' }}"><td class="mono">{{ $column }}</td>@foreach ([[$sides['source'], $stamp ? false : $a], [$sides['target'], $b]] as [$row, $value])<td class="mono clip" title="{{ $value }}">@if (! $row)<span class="faded">no row</span>@elseif ($value === false)<span class="faded">—</span>@elseif ($value === null)<span class="faded">null</span>@else{{ Illuminate\Support\Str::limit($value, 80) }}@endif</td>@endforeach</tr>
        @endforeach
        </tbody></table></div>
        @endif
    @endif
    @endif
</section>
<section class="sheet table-box" tabindex="0" role="region" aria-label="Values"><table class="rows"><caption class="hidden-text">Columns</caption><thead><tr><th>Column</th><th>Type</th><th>From</th></tr></thead><tbody>
@foreach ($definition->carried()->columns as $c)<tr><td class="mono">{{ $c->name }}</td><td class="mono faded">{{ $c->type->kind->value === 'enum' ? 'text' : $c->type }}</td><td class="faded">{{ in_array($c->name, $definition->key, true) ? 'key' : ($c->name === $definition->watermark ? 'watermark' : 'as at the source') }}</td></tr>@endforeach
@foreach ($definition->stamps() as $what => $name)<tr><td class="mono">{{ $name }}</td><td class="mono faded">{{ $what === 'delivered_at' ? 'timestamptz' : 'text' }}</td><td class="faded">stamped</td></tr>@endforeach
</tbody></table></section>
</div>
@endsection
