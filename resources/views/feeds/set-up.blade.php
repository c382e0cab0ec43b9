@extends('layout')
@php
    use App\Support\Say;
    $schedule = $definition->schedule;
    $enc = rawurlencode($feed->name);
@endphp
@section('heading', "Set-up of {$feed->name}")
@section('content')
@include('feeds.head', ['tab' => 'Set-up'])
<div class="columns-2">
    <div class="stack">
        <section class="sheet pad">
            <h2>{{ $feed->bringsChanges() ? 'Promise' : 'Schedule and promise' }}</h2>
            <form method="post" action="/feeds/{{ $enc }}/set-up">
                @csrf
                <fieldset @cannot('change') disabled @endcannot>
                @if (! $feed->bringsChanges())@include('parts.schedule-fields', ['schedule' => $schedule])@endif
                <div class="form-grid">
                    <div class="field"><label for="promise">Promise, minutes behind at most</label><input class="input" id="promise" name="promise_minutes" inputmode="decimal" value="{{ old('promise_minutes', round($definition->promiseSeconds / 60, 4)) }}" required></div>
                    @if ($feed->bringsChanges())
                    <div class="field"><label for="truncates">When the source table is emptied at once</label><div class="select"><select id="truncates" name="truncates"><option value="hold" @selected($definition->destination->truncates->value === 'hold')>hold the feed and ask</option><option value="carry" @selected($definition->destination->truncates->value === 'carry')>empty the copy too</option></select></div></div>
                    @else
                    <div class="field"><label for="overlap">Overlap read again, {{ $definition->origin->watermarkMode()?->value === 'moment' ? 'seconds' : 'units' }}</label><input class="input" id="overlap" name="overlap" inputmode="numeric" value="{{ old('overlap', $definition->chosen()->overlap()) }}" required><p class="hint">For sources where a late commit cannot be known. Upsert only.</p></div>
                    @endif
                </div>
                @if ($feed->landsInFiles())
                <h2 style="margin-top: 6px">How files are written from now on</h2>
                @include('parts.writing-fields', ['typed' => array_intersect_key(old() ?: App\Feeds\WritingInput::typed($definition->destination->writing), array_flip(App\Feeds\WritingInput::FIELDS))])
                @endif
                @can('change')<button class="button primary">Save version {{ $versions->max('version') + 1 }}</button>@endcan
                </fieldset>
            </form>
        </section>
        <section class="sheet pad">
            <h2>Definition, version {{ $feed->definition->version }}</h2>
            <dl class="facts">
                <div><dt>Source table</dt><dd class="mono">{{ $definition->origin->table }}</dd></div>
                <div><dt>Capture</dt><dd>{{ $definition->origin->capture->value }}@if ($definition->origin->watermarkColumn()) on <span class="mono">{{ $definition->origin->watermarkColumn() }}</span>@endif. {{ $definition->kind()->explanation() }}</dd></div>
                <div><dt>Key</dt><dd class="mono">{{ implode(', ', $definition->origin->key) ?: '—' }}</dd></div>
                <div><dt>Landing</dt><dd>{{ $definition->destination->landing->value }}. {{ $definition->destination->landing->explanation() }}</dd></div>
                @if ($feed->bringsChanges() && $definition->destination->landing->merges())<div><dt>Deletes</dt><dd>{{ $definition->destination->deletes->explanation() }}</dd></div>@endif
                <div><dt>Landed {{ count($definition->landedTable()->tables()) === 1 ? 'table' : 'tables' }}</dt><dd>@foreach ($definition->landedTable()->tables() as $fork => $table)<span class="mono">{{ $table->name }}</span>@if ($fork !== '') <span class="faded">fork {{ $fork }}</span>@endif @if (! $loop->last)<br>@endif @endforeach</dd></div>
                @if ($feed->landsInFiles())<div><dt>Files</dt><dd>{{ $definition->destination->writing->word() }}, {{ $definition->destination->writing->fixedName === null ? 'unique names' : "one file {$definition->destination->writing->fixedName}.{$definition->destination->writing->ending()} for each partition" }}</dd></div>@endif
                @if ($definition->destination->partitionBy)<div><dt>Partitions</dt><dd class="mono">{{ implode(', ', array_map(strval(...), $definition->destination->partitionBy)) }}</dd></div>@endif
                <div><dt>Left out</dt><dd class="mono">{{ implode(', ', $definition->origin->leaveOut) ?: '—' }}</dd></div>
            </dl>
        </section>
        @can('change')
        @if ($feed->kind()->loadsAgain())
        <section class="sheet pad" id="load-again" x-data="{ what: '{{ old('what', 'whole') }}' }">
            <h2>Load again</h2>
            <p class="faded small">Reads the table, or a part of it, once more and mends what differs in the copy. {{ $feed->bringsChanges() ? 'The feed goes on meanwhile. Loading the whole table, or named keys, also lands the deletes of rows that are gone at the source; loading a range does not.' : 'The position stays. Rows that are gone at the source stay in the copy, but where landing replaces it.' }}</p>
            <form method="post" action="/feeds/{{ $enc }}/reload" style="margin-top: 10px">@csrf
                <div class="field"><label for="what">What is read</label><div class="select"><select id="what" name="what" x-model="what"><option value="whole">the whole table</option><option value="range">a range of keys</option><option value="keys">some keys</option><option value="column">rows by a column</option></select></div></div>
                <div class="form-grid" x-show="what === 'range'">
                    @foreach (['after' => 'after', 'until' => 'up to and with'] as $field => $word)@foreach ($definition->origin->key as $n => $k)<div class="field"><label for="{{ $field }}-{{ $n }}"><span class="mono">{{ $k }}</span> {{ $word }}</label><input class="input mono" id="{{ $field }}-{{ $n }}" name="{{ $field }}[]" value="{{ old($field.'.'.$n) }}" placeholder="{{ $field === 'after' ? 'from the first' : 'to the last' }}"></div>@endforeach @endforeach
                </div>
                <div class="field" x-show="what === 'keys'"><label for="keys">Keys, one a line{{ count($definition->origin->key) > 1 ? ' ('.implode(', ', $definition->origin->key).', parted by commas)' : '' }}</label><textarea class="textarea mono" id="keys" name="keys" rows="4">{{ old('keys') }}</textarea><p class="hint">At most {{ Lighterman\Core\Capture\Slice::KEYS }}.</p></div>
                <div class="form-grid" x-show="what === 'column'">
                    <div class="field"><label for="column">Column</label><div class="select"><select id="column" name="column">@foreach ($definition->origin->shape->names() as $c)<option @selected(old('column') === $c)>{{ $c }}</option>@endforeach</select></div><p class="hint">Best one that an index serves; without one the whole table is looked through.</p></div>
                    <div class="field"><label for="from">from</label><input class="input mono" id="from" name="from" value="{{ old('from') }}" placeholder="no bound"></div>
                    <div class="field"><label for="to">to</label><input class="input mono" id="to" name="to" value="{{ old('to') }}" placeholder="no bound"></div>
                </div>
                <button class="button">Load again</button></form>
        </section>
        @endif
        <section class="sheet pad" id="start-over">
            <h2>Cancel the load and start over, or remove</h2>
            <div class="two">
                <form method="post" action="/feeds/{{ $enc }}/start-over">@csrf
                    <p class="faded small">Cancels the load, drops the landed table if Lighterman made it, forgets the position, and leaves the feed paused.</p>
                    <div class="field"><label for="confirm-over">Type {{ $feed->name }} to start over</label><input class="input" id="confirm-over" name="confirm" autocomplete="off"></div>
                    <button class="button danger">Start over</button></form>
                <form method="post" action="/feeds/{{ $enc }}">@csrf @method('delete')
                    <p class="faded small">Removes the feed with its runs and receipts here. The landed table and its rows stay.</p>
                    <div class="field"><label for="confirm-remove">Type {{ $feed->name }} to remove it</label><input class="input" id="confirm-remove" name="confirm" autocomplete="off"></div>
                    <button class="button danger">Remove feed</button></form>
            </div>
        </section>
        @endcan
    </div>
    <div class="stack">
        @if ($schedule->kind === 'cron')
        <section class="sheet pad"><h2>The next five times</h2>
            <p class="small faded">{{ $schedule->reading() }}</p>
            @foreach ($schedule->upcoming(now()->toImmutable(), 5) as $time)<div style="padding: 4px 0; border-top: 1px solid var(--hair)">{{ Say::exactly($time) }}</div>@endforeach
        </section>
        @endif
        <section class="sheet pad"><h2>Versions</h2>
            <p class="small"><a href="/feeds/{{ $enc }}/versions">Compare two versions, or go back to one</a></p>
            @foreach ($versions as $v)<div class="small" style="padding: 5px 0; border-top: 1px solid var(--hair)"><b>{{ $v->version }}</b> by {{ $v->person }}, <span title="{{ Say::exactly($v->created_at) }}">{{ Say::at($v->created_at, false) }}</span></div>@endforeach
        </section>
    </div>
</div>
@endsection
