@extends('layout')
@php
    use Lighterman\Core\Treatment\{Fork, Otherwise};
    $enc = rawurlencode($feed->name);
    $whole = $edited->whole;
    $now = $edit === null ? null : $whole->forkNamed($edit);
    $names = array_map(fn ($l) => $l->name(), $sheet->rowsOf->sheet);
    $n = count($sheet->rows);
    $share = fn (int $fork): string => ($sheet->taking[$fork] ?? 0)." of {$n}";
    $none = $whole->elsewhere()->place();
    $versions = $definition->destination->landing->keepsVersions();
@endphp
@section('heading', "Forks of {$feed->name}")
@section('content')
@include('feeds.head', ['tab' => 'Forks'])
@include('feeds.sheet-title')
<div class="columns-2">
    <div class="stack">
        <section class="sheet table-box">
            <table class="rows" x-data="rows"><caption class="hidden-text">Where records land, the first condition that holds decides</caption>
                <thead><tr><th class="num">#</th><th>Fork</th><th>Takes a record if no earlier fork does, and</th><th>Lands in</th><th class="num">Sampled rows that take it</th><th></th></tr></thead>
                <tbody>
                @foreach ($whole->forks as $i => $f)
                    <tr tabindex="0" data-text="{{ $f->name }} {{ $f->when }}"><td class="num faded">{{ $i + 1 }}</td>
                        <td>@can('change')<a href="?edit={{ rawurlencode($f->name) }}"><b>{{ $f->name }}</b></a>@else<b>{{ $f->name }}</b>@endcan</td>
                        <td class="mono wrap">{{ $f->when }}@if (isset($sheet->rowsOf->errors->forks[$i]))<br><span class="wrong">{{ $sheet->rowsOf->errors->forks[$i]->getMessage() }}</span>@endif</td>
                        <td class="wrap"><span class="mono">{{ $f->landed }}</span><br><a class="small" href="/feeds/{{ $enc }}/columns?fork={{ rawurlencode($f->name) }}">{{ $f->sheet->isEmpty() ? 'its columns: as on the own sheet' : 'its columns: '.count($f->sheet->lines).' treated' }}</a></td>
                        <td class="num">{{ $share($i) }}</td>
                        <td class="nowrap">@can('change')<form method="post" action="/feeds/{{ $enc }}/forks">@csrf<input type="hidden" name="seen" value="{{ $seen }}"><input type="hidden" name="was" value="{{ $f->name }}"><button class="button plain" name="act" value="up" aria-label="Up: {{ $f->name }}" @disabled($loop->first)>Up</button><button class="button plain" name="act" value="down" aria-label="Down: {{ $f->name }}" @disabled($loop->last)>Down</button><button class="button plain" name="act" value="remove" aria-label="Remove: {{ $f->name }}">Remove</button></form>@endcan</td></tr>
                @endforeach
                @if ($whole->forks === [])<tr><td colspan="6" class="faded">Every record lands in <span class="mono">{{ $feed->landed }}</span>. Add a condition to land some of them in a table of their own, with columns of their own.</td></tr>
                @else
                    <tr><td></td><td class="faded">none of them</td><td>@if ($whole->otherwise === null)<span class="warn">what becomes of the rest is not stated</span>@else it {{ $whole->otherwise->words() }}@endif</td><td class="mono">{{ $whole->otherwise === Otherwise::Land ? $feed->landed : '—' }}</td><td class="num">{{ $share($none) }}</td><td></td></tr>
                @endif
                </tbody></table>
            @if ($whole->forks !== [])
            @can('change')
            <form method="post" action="/feeds/{{ $enc }}/forks" class="bar pad" style="margin: 0">@csrf<input type="hidden" name="seen" value="{{ $seen }}">
                <label for="otherwise">A record that takes no fork</label><div class="select"><select id="otherwise" name="otherwise">@if ($whole->otherwise === null)<option value="">choose…</option>@endif @foreach (Otherwise::cases() as $o)<option value="{{ $o->value }}" @selected($whole->otherwise === $o)>{{ $o->words() }}</option>@endforeach</select></div><button class="button" name="act" value="otherwise">Keep</button></form>
            @endcan
            @endif
        </section>
        @if ($whole->forks !== [])
        <section class="sheet pad small faded">
            @if ($definition->destination->landing->merges())<p>A row stands in one table only. When it changes and takes another fork, or is dropped, it is removed from the one it stood in{{ $feed->bringsChanges() ? ', as deletes are '.['apply' => 'applied', 'mark' => 'marked', 'ignore' => 'ignored (so it stays there too)'][$definition->destination->deletes->value] : '' }}.</p>@endif
            @if ($feed->bringsChanges() && $definition->destination->landing->adds())<p>A change is entered where its row lands; a delete is entered in every table.</p>@endif
            @if ($wholeRows !== null)<p>The log must say every value of a row that may go elsewhere. If the table has long texts or nested values, run on {{ $feed->route->source->name }}: <code>{{ $wholeRows }}</code> Otherwise changes that leave such a value out are set aside.</p>@endif
            <p>Rows that landed before a fork was added or changed move when they change at the source, or are loaded again.</p>
        </section>
        @endif
    </div>
    @can('change')
    <section class="sheet pad">
        <h2>{{ $now ? "Change the fork {$now->name}" : 'Add a fork' }}</h2>
        @if ($versions)<p class="faded">This feed keeps every version of a row. A row that took another fork would end in one table without having been deleted, so its records cannot be parted.</p>
        @else
        <form method="post" action="/feeds/{{ $enc }}/forks">@csrf<input type="hidden" name="seen" value="{{ $seen }}"><input type="hidden" name="was" value="{{ $now->name ?? '' }}">
            <div class="field"><label for="when">Takes the records for which</label><textarea class="textarea" id="when" name="when" rows="3" spellcheck="false" required placeholder="{{ $names[0] ?? 'column' }} > 0">{{ old('when', $now?->when) }}</textarea><p class="hint">True or false, over the columns as they land: {{ Illuminate\Support\Str::limit(implode(', ', $names), 160) }}.</p></div>
            <div class="field"><label for="landed">Landed table</label><input class="input mono" id="landed" name="landed" required value="{{ old('landed', $now ? (string) $now->landed : '') }}" placeholder="{{ $definition->destination->table }}_…"></div>
            <div class="field"><label for="name">Name</label><input class="input" id="name" name="name" maxlength="63" value="{{ old('name', $now?->name) }}" placeholder="that of the table"></div>
            <div class="bar" style="margin: 0"><button class="button primary" name="act" value="keep">{{ $now ? 'Keep the change' : 'Add the fork' }}</button>@if ($now)<a class="button plain" href="/feeds/{{ $enc }}/forks">Cancel</a>@endif</div>
        </form>
        <details class="small" style="margin-top: 8px"><summary>Functions in expressions</summary>@include('feeds.functions')</details>
        @endif
    </section>
    @endcan
</div>
@include('feeds.sheet-below')
@endsection
