@php
    use Lighterman\Core\Treatment\Step\{Lookup, Steps};
    $of = $l['line'];
    $enc = rawurlencode($feed->name);
    $said = fn (string $name): string => str_ends_with($name, Lookup::UNSAID) ? '' : $name;
@endphp
<aside class="sheet pad side" aria-label="Column {{ $of->name() }}">
    <div style="display: flex; gap: 8px; align-items: baseline"><h2><span class="mono">{{ $of->from ?? $of->name() }}</span></h2><span class="faded small">{{ $of->from === null ? 'made on the way' : $l['column']->type }}</span><a class="button plain" style="margin-left: auto" href="?{{ http_build_query(array_filter(['fork' => $edited->forkName(), 'sample' => $sample, 'row' => $sheet->at ?: null])) }}" data-close>Close</a></div>
    <div id="line-result" aria-live="polite">@include('feeds.line-result')</div>
    @if ($l['personal'])
    <form method="post" action="/feeds/{{ $enc }}/columns/act" class="note caution" style="margin: 8px 0">@csrf<input type="hidden" name="seen" value="{{ $seen }}"> @include('feeds.fork-field')<input type="hidden" name="lines[]" value="{{ $l['number'] }}"><p>It looks like a {{ $l['personal']['what'] }}.</p><button class="button" name="act" value="mask_found">Mask it: {{ $l['personal']['mask']->sentence() }}</button></form>
    @endif
    <p class="wrong small" id="line-error" role="alert"></p>
    <form method="post" action="/feeds/{{ $enc }}/columns/line" data-line-form>
        @csrf<input type="hidden" name="seen" value="{{ $seen }}"> @include('feeds.fork-field')<input type="hidden" name="line" value="{{ $l['number'] }}"><input type="hidden" name="sample" value="{{ $sample }}"><input type="hidden" name="row" value="{{ $sheet->at }}">
        {{-- So that Enter in a field keeps what was typed, and takes no step away. --}}
        <button class="hidden-text" tabindex="-1" aria-hidden="true">Keep</button>
        <div class="field"><label for="as">Landed as</label><input class="input mono" id="as" name="as" value="{{ $of->name() }}" maxlength="63"></div>
        @if ($of->from !== null)<label class="small"><input type="checkbox" name="drop" value="1" @checked($of->drop)> Drop it: read, so that expressions may use it, but not landed</label>@endif
        @foreach ($of->steps as $i => $step)
            <fieldset class="step"><legend>{{ $loop->iteration }}. {{ $step::word() }}</legend>
            <button class="button plain" name="remove" value="{{ $i }}" aria-label="Remove step {{ $loop->iteration }}">Remove</button>
            <input type="hidden" name="steps[{{ $i }}][do]" value="{{ $step::name() }}">
            @include("feeds.steps.{$step::name()}")
            </fieldset>
        @endforeach
        @if (! $of->drop && (($of->steps[0] ?? null) === null || $of->steps[0]::begins() !== null))
        <div class="bar adds"><span class="small faded">{{ $of->steps ? 'Then' : 'Treat it:' }}</span>@foreach (Steps::all() as $kind)@if ($kind::begins() !== null)<button class="button" name="add" value="{{ $kind::name() }}">{{ $kind::word() }}</button>@endif @endforeach</div>
        @endif
        <datalist id="types">@foreach (Lighterman\Core\Shape\Type::writable() as $kind)<option value="{{ $kind->value }}">@endforeach<option value="varchar(200)"><option value="decimal(12,2)"></datalist>
        <div class="bar" style="margin-bottom: 0"><button class="button" name="done" value="1">Done</button>@if ($of->from === null)<button class="button danger" name="remove_line" value="1">Remove the column</button>@endif</div>
    </form>
    @if ($l['column'] && $edited->fork === null && $treatment->explode === null && (in_array($l['column']->type->kind->value, ['json', 'jsonb', 'list'], true) || str_starts_with((string) $l['raw'], '[')) && ! $feed->bringsChanges() && ($definition->destination->landing->repeatsKeys() || ($definition->destination->landing->merges() && $feed->sequence === 0 && $definition->origin->files === null)))
    <form method="post" action="/feeds/{{ $enc }}/columns/act" style="margin-top: 10px">@csrf<input type="hidden" name="seen" value="{{ $seen }}"> @include('feeds.fork-field')<input type="hidden" name="line" value="{{ $l['number'] }}">
        <h3>A row for each element</h3><div class="field"><label for="number">Place in the list, landed as</label><input class="input mono" id="number" name="number" value="{{ $of->from }}_no"></div><button class="button" name="act" value="explode">Explode the list</button></form>
    @endif
    @if ($l['column'] && (in_array($l['column']->type->kind->value, ['json', 'jsonb'], true) || str_starts_with((string) $l['raw'], '{')) && $of->steps === [] && ! $of->drop)
    <form method="post" action="/feeds/{{ $enc }}/columns/act" style="margin-top: 10px">@csrf<input type="hidden" name="seen" value="{{ $seen }}"> @include('feeds.fork-field')<input type="hidden" name="line" value="{{ $l['number'] }}"><input type="hidden" name="sample" value="{{ $sample }}">
        <h3>Flatten all its names</h3><div class="field"><label for="naming">Named</label><input class="input mono" id="naming" name="naming" value="{column}_{name}"></div><label class="small"><input type="checkbox" name="rest" value="1" checked> Keep what is not listed as a nested value</label><br><button class="button" name="act" value="flatten" style="margin-top: 6px">Flatten</button></form>
    @endif
    <form method="post" action="/feeds/{{ $enc }}/columns/act" class="bar" style="margin: 10px 0 0">@csrf<input type="hidden" name="seen" value="{{ $seen }}"> @include('feeds.fork-field')<input type="hidden" name="line" value="{{ $l['number'] }}"><span class="small faded">Place:</span><button class="button plain" name="act" value="up">Up</button><button class="button plain" name="act" value="down">Down</button></form>
    <details class="small"><summary>Functions in expressions</summary>@include('feeds.functions')</details>
</aside>
