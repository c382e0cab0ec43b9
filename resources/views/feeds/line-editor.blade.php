@php
    use Lighterman\Core\Treatment\Step\{Convert, Derive, Lookup, Mask, Pick, Stamp};
    $of = $l['line'];
    $enc = rawurlencode($feed->name);
    $said = fn (string $name): string => str_ends_with($name, Lookup::UNSAID) ? '' : $name;
@endphp
<aside class="sheet pad side" aria-label="Column {{ $of->name() }}">
    <div style="display: flex; gap: 8px; align-items: baseline"><h2><span class="mono">{{ $of->from ?? $of->name() }}</span></h2><span class="faded small">{{ $of->from === null ? 'made on the way' : $l['column']->type }}</span><a class="button plain" style="margin-left: auto" href="?{{ http_build_query(array_filter(['fork' => $edited->forkName(), 'sample' => $sample, 'row' => $sheet->at ?: null])) }}" data-close>Close</a></div>
    <div id="line-result" aria-live="polite">@include('feeds.line-result')</div>
    @if ($l['personal'])
    <form method="post" action="/feeds/{{ $enc }}/columns/act" class="note caution" style="margin: 8px 0">@csrf @include('feeds.fork-field')<input type="hidden" name="lines[]" value="{{ $l['number'] }}"><p>It looks like a {{ $l['personal']['what'] }}.</p><button class="button" name="act" value="mask_found">Mask it: {{ $l['personal']['mask']->sentence() }}</button></form>
    @endif
    <p class="wrong small" id="line-error" role="alert"></p>
    <form method="post" action="/feeds/{{ $enc }}/columns/line" data-line-form>
        @csrf @include('feeds.fork-field')<input type="hidden" name="line" value="{{ $l['number'] }}"><input type="hidden" name="sample" value="{{ $sample }}"><input type="hidden" name="row" value="{{ $sheet->at }}">
        {{-- So that Enter in a field keeps what was typed, and takes no step away. --}}
        <button class="hidden-text" tabindex="-1" aria-hidden="true">Keep</button>
        <div class="field"><label for="as">Landed as</label><input class="input mono" id="as" name="as" value="{{ $of->name() }}" maxlength="63"></div>
        @if ($of->from !== null)<label class="small"><input type="checkbox" name="drop" value="1" @checked($of->drop)> Drop it: read, so that expressions may use it, but not landed</label>@endif
        @foreach ($of->steps as $i => $step)
            <fieldset class="step"><legend>{{ $loop->iteration }}. {{ match (true) { $step instanceof Mask => 'Mask', $step instanceof Convert => 'Convert', $step instanceof Derive => 'Derive', $step instanceof Pick => 'Flatten', $step instanceof Lookup => 'Look up', default => 'Stamp' } }}</legend>
            <button class="button plain" name="remove" value="{{ $i }}" aria-label="Remove step {{ $loop->iteration }}">Remove</button>
            @if ($step instanceof Mask)
                <input type="hidden" name="steps[{{ $i }}][do]" value="mask">
                <div class="field"><label for="s{{ $i }}-way">How</label><div class="select"><select id="s{{ $i }}-way" name="steps[{{ $i }}][mask]">@foreach (['keep_last' => 'keep the last characters', 'keep_shape' => 'keep its shape: letters x, digits 9', 'keyed_hash' => 'keyed hash, the same in every feed', 'fixed' => 'always the same text', 'null' => 'null', 'month' => 'a date, cut to its month', 'year' => 'a date, cut to its year'] as $way => $word)<option value="{{ $way }}" @selected($step->way === $way)>{{ $word }}</option>@endforeach</select></div></div>
                @if ($step->way === 'keep_last')<div class="field"><label for="s{{ $i }}-keep">Characters that stay</label><input class="input" id="s{{ $i }}-keep" name="steps[{{ $i }}][keep]" inputmode="numeric" value="{{ $step->keep }}"></div>@else<input type="hidden" name="steps[{{ $i }}][keep]" value="{{ $step->keep }}">@endif
                @if ($step->way === 'fixed')<div class="field"><label for="s{{ $i }}-text">Text</label><input class="input" id="s{{ $i }}-text" name="steps[{{ $i }}][text]" value="{{ $step->text }}"></div>@endif
                @if ($step->way === 'keyed_hash')<div class="field"><label for="s{{ $i }}-key">Key</label><input class="input mono" id="s{{ $i }}-key" name="steps[{{ $i }}][key]" value="{{ $step->key }}"><p class="hint">Feeds with the same key give the same hash. The key itself is a secret of this Lighterman.</p></div>@endif
            @elseif ($step instanceof Convert)
                <input type="hidden" name="steps[{{ $i }}][do]" value="convert">
                <div class="field"><label for="s{{ $i }}-type">To type</label><input class="input mono" id="s{{ $i }}-type" name="steps[{{ $i }}][convert]" value="{{ $step->to }}" list="types"></div>
                <div class="pair"><div class="field"><label for="s{{ $i }}-decimal">Decimal mark</label><input class="input mono" id="s{{ $i }}-decimal" name="steps[{{ $i }}][decimal]" value="{{ $step->decimal }}" maxlength="1"></div><div class="field"><label for="s{{ $i }}-thousands">Thousands</label><input class="input mono" id="s{{ $i }}-thousands" name="steps[{{ $i }}][thousands]" value="{{ $step->thousands }}" maxlength="1"></div></div>
                <div class="pair"><div class="field"><label for="s{{ $i }}-format">Date format</label><input class="input mono" id="s{{ $i }}-format" name="steps[{{ $i }}][format]" value="{{ $step->format }}" placeholder="dd.MM.yyyy HH:mm"></div><div class="field"><label for="s{{ $i }}-zone">Zone</label><input class="input mono" id="s{{ $i }}-zone" name="steps[{{ $i }}][zone]" value="{{ $step->zone }}"></div></div>
                <div class="pair"><div class="field"><label for="s{{ $i }}-true">Words for true</label><input class="input mono" id="s{{ $i }}-true" name="steps[{{ $i }}][true]" value="{{ implode(', ', $step->true) }}" placeholder="yes, 1, t"></div><div class="field"><label for="s{{ $i }}-false">for false</label><input class="input mono" id="s{{ $i }}-false" name="steps[{{ $i }}][false]" value="{{ implode(', ', $step->false) }}" placeholder="no, 0, f"></div></div>
                @include('feeds.step-else', ['i' => $i, 'label' => 'If it cannot be', 'instead' => $step->failed])
            @elseif ($step instanceof Derive)
                <input type="hidden" name="steps[{{ $i }}][do]" value="derive">
                <div class="field"><label for="s{{ $i }}-derive">Computed as</label><textarea class="textarea" id="s{{ $i }}-derive" name="steps[{{ $i }}][derive]" rows="3" spellcheck="false">{{ $step->expression }}</textarea>@if ($of->from !== null)<p class="hint"><code>value</code> is the column's own value.</p>@endif</div>
                <div class="field"><label for="s{{ $i }}-dtype">Type</label><input class="input mono" id="s{{ $i }}-dtype" name="steps[{{ $i }}][type]" value="{{ $step->to }}" placeholder="what the expression gives" list="types"></div>
            @elseif ($step instanceof Pick)
                <input type="hidden" name="steps[{{ $i }}][do]" value="{{ $step->path === '' ? 'rest' : 'pick' }}">
                @if ($step->path === '')<div class="field"><label for="s{{ $i }}-rest">The rest, without</label><input class="input mono" id="s{{ $i }}-rest" name="steps[{{ $i }}][rest_without]" value="{{ implode(', ', $step->except) }}"></div>
                @else<div class="field"><label for="s{{ $i }}-pick">Path in the nested value</label><input class="input mono" id="s{{ $i }}-pick" name="steps[{{ $i }}][pick]" value="{{ $step->path }}"></div>@endif
            @elseif ($step instanceof Lookup)
                <input type="hidden" name="steps[{{ $i }}][do]" value="lookup">
                <div class="field"><label for="s{{ $i }}-system">In system</label><div class="select"><select id="s{{ $i }}-system" name="steps[{{ $i }}][system]">@foreach (App\Models\System::orderBy('name')->pluck('name') as $name)<option @selected($step->in->system === $name)>{{ $name }}</option>@endforeach</select></div></div>
                <div class="field"><label for="s{{ $i }}-table">Table</label><input class="input mono" id="s{{ $i }}-table" name="steps[{{ $i }}][lookup]" placeholder="schema.table" value="{{ $said((string) $step->in->table) }}"></div>
                <div class="pair"><div class="field"><label for="s{{ $i }}-match">Where this column</label><input class="input mono" id="s{{ $i }}-match" name="steps[{{ $i }}][match]" value="{{ $said($step->in->match->name) }}"></div><div class="field"><label for="s{{ $i }}-take">is the value, take</label><input class="input mono" id="s{{ $i }}-take" name="steps[{{ $i }}][take]" value="{{ $said($step->in->take->name) }}"></div></div>
                <div class="field"><label for="s{{ $i }}-age">Minutes for which an answer is good</label><input class="input" id="s{{ $i }}-age" name="steps[{{ $i }}][age_minutes]" inputmode="decimal" value="{{ $step->age / 60 }}"></div>
                @include('feeds.step-else', ['i' => $i, 'label' => 'If it is not there', 'instead' => $step->missed])
                <p class="hint">A row that has landed keeps the answer it got, until it changes or is loaded again.</p>
            @elseif ($step instanceof Stamp)
                <input type="hidden" name="steps[{{ $i }}][do]" value="stamp"><input type="hidden" name="steps[{{ $i }}][stamp]" value="{{ $step->what }}"><p class="small">{{ $step->sentence() }}</p>
            @endif
            </fieldset>
        @endforeach
        @if (! $of->drop && ! (($of->steps[0] ?? null) instanceof Stamp))
        <div class="bar adds"><span class="small faded">{{ $of->steps ? 'Then' : 'Treat it:' }}</span>@foreach (['mask' => 'Mask', 'convert' => 'Convert', 'derive' => 'Derive', 'pick' => 'Flatten', 'lookup' => 'Look up'] as $kind => $word)<button class="button" name="add" value="{{ $kind }}">{{ $word }}</button>@endforeach</div>
        @endif
        <datalist id="types">@foreach (Lighterman\Core\Shape\Type::writable() as $kind)<option value="{{ $kind->value }}">@endforeach<option value="varchar(200)"><option value="decimal(12,2)"></datalist>
        <div class="bar" style="margin-bottom: 0"><button class="button" name="done" value="1">Done</button>@if ($of->from === null)<button class="button danger" name="remove_line" value="1">Remove the column</button>@endif</div>
    </form>
    @if ($l['column'] && $edited->fork === null && $treatment->explode === null && (in_array($l['column']->type->kind->value, ['json', 'jsonb', 'list'], true) || str_starts_with((string) $l['raw'], '[')) && ! $feed->bringsChanges() && in_array($definition->destination->landing->value, ['append', 'replace'], true))
    <form method="post" action="/feeds/{{ $enc }}/columns/act" style="margin-top: 10px">@csrf @include('feeds.fork-field')<input type="hidden" name="line" value="{{ $l['number'] }}">
        <h3>A row for each element</h3><div class="field"><label for="number">Place in the list, landed as</label><input class="input mono" id="number" name="number" value="{{ $of->from }}_no"></div><button class="button" name="act" value="explode">Explode the list</button></form>
    @endif
    @if ($l['column'] && (in_array($l['column']->type->kind->value, ['json', 'jsonb'], true) || str_starts_with((string) $l['raw'], '{')) && $of->steps === [] && ! $of->drop)
    <form method="post" action="/feeds/{{ $enc }}/columns/act" style="margin-top: 10px">@csrf @include('feeds.fork-field')<input type="hidden" name="line" value="{{ $l['number'] }}"><input type="hidden" name="sample" value="{{ $sample }}">
        <h3>Flatten all its names</h3><div class="field"><label for="naming">Named</label><input class="input mono" id="naming" name="naming" value="{column}_{name}"></div><label class="small"><input type="checkbox" name="rest" value="1" checked> Keep what is not listed as a nested value</label><br><button class="button" name="act" value="flatten" style="margin-top: 6px">Flatten</button></form>
    @endif
    <form method="post" action="/feeds/{{ $enc }}/columns/act" class="bar" style="margin: 10px 0 0">@csrf @include('feeds.fork-field')<input type="hidden" name="line" value="{{ $l['number'] }}"><span class="small faded">Place:</span><button class="button plain" name="act" value="up">Up</button><button class="button plain" name="act" value="down">Down</button></form>
    <details class="small"><summary>Functions in expressions</summary>@include('feeds.functions')</details>
</aside>
