@extends('layout')
@php
    use Lighterman\Core\Treatment\{Check, Outcome};
    $enc = rawurlencode($feed->name);
    $kinds = ['required' => 'is there (not null)', 'not_empty' => 'is there and not blank', 'range' => 'lies in a range', 'list' => 'is one of a list', 'pattern' => 'matches a pattern', 'box' => 'lies in a box of coordinates', 'unique' => 'is unique within the batch', 'expression' => 'satisfies an expression'];
    $now = $edit !== null ? ($treatment->checks[$edit] ?? null) : null;
    $kind = old('check', $now?->kind ?? ($kind ?: null));
    $with = $now?->with ?? [];
    $names = array_map(fn ($l) => $l->name(), $sheet->rowsOf->sheet);
@endphp
@section('heading', "Checks of {$feed->name}")
@section('content')
@include('feeds.head', ['tab' => 'Checks'])
@include('feeds.sheet-title')
<div class="columns-2">
    <div class="stack">
        <section class="sheet table-box">
            <table class="rows" x-data="rows"><caption class="hidden-text">What every record must be like</caption>
                <thead><tr><th>Every record must</th><th>If it does not</th><th>Limit</th><th class="num">Sampled rows that fail</th><th></th></tr></thead>
                <tbody>
                @foreach ($sheet->checks as $n => $check)
                    <tr tabindex="0" data-text="{{ $check['sentence'] }}"><td class="wrap">@can('change')<a href="?check={{ $n }}">{{ $check['name'] ?: $check['sentence'] }}</a>@else{{ $check['sentence'] }}@endcan @if ($check['name'])<br><span class="faded small">{{ $check['sentence'] }}</span>@endif @if ($check['error'])<br><span class="wrong">{{ $check['error'] }}</span>@endif</td><td>{{ $check['outcome'] }}</td><td class="faded">{{ $check['limit'] ?? 'none' }}</td><td @class(['num', 'warn' => $check['failed']])>{{ $check['failed'] }} of {{ count($sheet->rows) }}</td>
                    <td>@can('change')<form method="post" action="/feeds/{{ $enc }}/checks">@csrf<input type="hidden" name="seen" value="{{ $seen }}"><input type="hidden" name="check_number" value="{{ $n }}"><button class="button plain" name="act" value="remove" aria-label="Remove: {{ $check['sentence'] }}">Remove</button></form>@endcan</td></tr>
                @endforeach
                @if ($sheet->checks === [])<tr><td colspan="5" class="faded">Nothing is checked yet. Choose at the right what every record has to be like.</td></tr>@endif
                </tbody></table>
        </section>
        <section class="sheet table-box">
            <table class="rows"><caption class="hidden-text">What is only counted</caption>
                <thead><tr><th>Only counted: records that land and for which</th><th class="num">Last 24 hours</th><th>By hour</th><th></th></tr></thead>
                <tbody>
                @foreach ($treatment->watch as $n => $rule)
                    @php $w = $counted[$rule->name] ?? null; $most = $w ? max(1e-9, ...array_map(fn ($r) => $r ?? 0.0, $w->rates)) : 1; @endphp
                    <tr><td class="wrap"><b>{{ $rule->name }}</b><br><span class="mono faded small">{{ $rule->expression }}</span>@if (isset($sheet->rowsOf->errors->watched[$n]))<br><span class="wrong">{{ $sheet->rowsOf->errors->watched[$n]->getMessage() }}</span>@endif
                        @if ($w?->samples)<details class="small"><summary>The latest {{ count($w->samples) }}</summary>@include('parts.values', ['rows' => array_map(fn ($s) => $s['record'], $w->samples)])</details>@endif</td>
                    <td class="num">@if ($w)<b title="{{ App\Support\Say::count($w->matched) }} of {{ App\Support\Say::count($w->landed) }}">{{ App\Support\Say::share($w->share()) }}</b><br><span class="faded small">{{ App\Support\Say::count($w->matched) }} of {{ App\Support\Say::count($w->landed) }}</span>@else<span class="faded">nothing landed yet</span>@endif</td>
                    <td>@if ($w)<svg width="120" height="22" role="img" aria-label="share by hour: {{ implode(', ', array_map(fn ($r) => $r === null ? 'none' : round(100 * $r, 1).' %', $w->rates)) }}">@foreach ($w->rates as $i => $r)<rect x="{{ $i * 5 }}" y="{{ 21 - 20 * ($r ?? 0) / $most }}" width="4" height="{{ 20 * ($r ?? 0) / $most + 1 }}" fill="currentColor" opacity="{{ $r === null ? 0.18 : 0.8 }}"/>@endforeach</svg>@endif</td>
                    <td>@can('change')<form method="post" action="/feeds/{{ $enc }}/checks">@csrf<input type="hidden" name="seen" value="{{ $seen }}"><input type="hidden" name="name" value="{{ $rule->name }}"><button class="button plain" name="act" value="count_no_more" aria-label="Remove: {{ $rule->name }}">Remove</button></form>@endcan</td></tr>
                @endforeach
                @if ($treatment->watch === [])<tr><td colspan="4" class="faded">Nothing is counted.</td></tr>@endif
                </tbody></table>
            @can('change')
            <form method="post" action="/feeds/{{ $enc }}/checks" class="bar pad" style="margin: 0">@csrf<input type="hidden" name="seen" value="{{ $seen }}">
                <label for="count-name">Count as</label><input class="input" id="count-name" name="name" maxlength="80" placeholder="small orchards" style="width: 150px"><label for="count-expression">the records for which</label><input class="input mono" id="count-expression" name="expression" placeholder="hectares < 1" style="flex: 1 1 180px"><button class="button" name="act" value="count">Count them</button></form>
            @endcan
        </section>
        <section class="sheet pad">
            <h2>A record that cannot be treated</h2>
            <p class="faded small">A value that cannot be converted, a division by zero, a nested value that is not JSON. {{ $sheet->failing }} of the {{ count($sheet->rows) }} sampled rows fail now.</p>
            <form method="post" action="/feeds/{{ $enc }}/checks" class="bar">@csrf<input type="hidden" name="seen" value="{{ $seen }}">
                <label for="failing">is</label><div class="select"><select id="failing" name="failing" @cannot('change') disabled @endcannot><option value="">choose…</option>@foreach ([Outcome::SetAside, Outcome::Drop, Outcome::Stop] as $o)<option value="{{ $o->value }}" @selected($treatment->failing === $o)>{{ ['set_aside' => 'set aside', 'drop' => 'dropped', 'stop' => 'reason to stop the feed'][$o->value] }}</option>@endforeach</select></div>
                <label for="limit-p">and the feed stops if over</label><input class="input" id="limit-p" name="limit_percent" inputmode="decimal" style="width: 64px" value="{{ $treatment->limit?->percent }}"><span>% of the last</span><label class="hidden-text" for="limit-o">records</label><input class="input" id="limit-o" name="limit_of" inputmode="numeric" style="width: 90px" value="{{ $treatment->limit?->of ?? 10000 }}"><span>fail</span>
                @can('change')<button class="button" name="act" value="outcome">Keep</button>@endcan
            </form>
        </section>
    </div>
    @can('change')
    <section class="sheet pad">
        <h2>{{ $now ? 'Change the check' : 'Add a check' }}</h2>
        <form method="get" class="bar">@if ($edit !== null)<input type="hidden" name="check" value="{{ $edit }}">@endif<label for="kind">The value</label><div class="select"><select id="kind" name="kind" x-data="submits">@if (! $kind)<option value="">choose…</option>@endif @foreach ($kinds as $k => $word)<option value="{{ $k }}" @selected($k === $kind)>{{ $word }}</option>@endforeach</select></div><noscript><button class="button">Go on</button></noscript></form>
        @if ($kind)
        <form method="post" action="/feeds/{{ $enc }}/checks">@csrf<input type="hidden" name="seen" value="{{ $seen }}">
            <input type="hidden" name="check" value="{{ $kind }}">@if ($now)<input type="hidden" name="check_number" value="{{ $edit }}">@endif
            @php $columns = $now?->kind === $kind ? $now->columns : []; @endphp
            @if ($kind === 'expression')
                <div class="field"><label for="expression">Expression</label><textarea class="textarea" id="expression" name="expression" rows="3" spellcheck="false" required>{{ old('expression', $with['expression'] ?? '') }}</textarea><p class="hint">True or false, such as <code>gross_kg &gt; tare_kg</code>. If something in it is null, the record passes.</p></div>
            @elseif ($kind === 'unique')
                <div class="field"><label for="columns">Columns, parted by commas</label><input class="input mono" id="columns" name="columns" value="{{ old('columns', implode(', ', $columns)) }}" required></div>
            @else
                <div class="field"><label for="column">{{ $kind === 'box' ? 'Column that grows to the east' : 'Column' }}</label><input class="input mono" id="column" name="column" list="column-names" value="{{ old('column', $columns[0] ?? '') }}" required></div>
            @endif
            @if ($kind === 'box')
                <div class="field"><label for="north-column">Column that grows to the north</label><input class="input mono" id="north-column" name="north_column" list="column-names" value="{{ old('north_column', $columns[1] ?? '') }}" required></div>
                <div class="pair">@foreach (['west', 'east', 'south', 'north'] as $side)<div class="field"><label for="{{ $side }}">{{ ucfirst($side) }}</label><input class="input mono" id="{{ $side }}" name="{{ $side }}" inputmode="decimal" value="{{ old($side, $with[$side] ?? '') }}" required></div>@endforeach</div>
            @elseif ($kind === 'range')
                <div class="pair"><div class="field"><label for="from">From</label><input class="input mono" id="from" name="from" value="{{ old('from', $with['from'] ?? '') }}"></div><div class="field"><label for="to">To</label><input class="input mono" id="to" name="to" value="{{ old('to', $with['to'] ?? '') }}"></div></div>
            @elseif ($kind === 'list')
                <div class="field"><label for="values">Values, parted by commas</label><input class="input mono" id="values" name="values" value="{{ old('values', implode(', ', (array) ($with['values'] ?? []))) }}" required></div>
            @elseif ($kind === 'pattern')
                <div class="field"><label for="pattern">Pattern</label><input class="input mono" id="pattern" name="pattern" value="{{ old('pattern', $with['pattern'] ?? '') }}" required></div>
            @endif
            @if (! in_array($kind, ['expression'], true))<label class="small"><input type="checkbox" name="as_read" value="1" @checked(old('as_read', $now?->asRead))> Look at the value as it was read, before any treatment</label>@endif
            <div class="field" style="margin-top: 8px"><label for="else">If it does not</label><div class="select"><select id="else" name="else" required><option value="">choose…</option>@foreach (Outcome::cases() as $o)<option value="{{ $o->value }}" @selected(old('else', $now?->else?->value) === $o->value)>{{ ['set_aside' => 'set the record aside', 'drop' => 'drop the record', 'warn' => 'let it pass, and count it', 'stop' => 'stop the feed'][$o->value] }}</option>@endforeach</select></div></div>
            <div class="field"><label for="limit_percent">Stop the feed if over … % fail, of the last … records</label><div class="bar"><input class="input" id="limit_percent" name="limit_percent" inputmode="decimal" style="width: 80px" placeholder="never" value="{{ old('limit_percent', $now?->limit?->percent) }}"><label class="hidden-text" for="limit_of">Records</label><input class="input" id="limit_of" name="limit_of" inputmode="numeric" style="width: 100px" value="{{ old('limit_of', $now?->limit?->of ?? 10000) }}"></div></div>
            <div class="field"><label for="name">A name of your own</label><input class="input" id="name" name="name" maxlength="80" value="{{ old('name', $now?->name) }}" placeholder="inside the vale"></div>
            <div class="bar" style="margin: 0"><button class="button primary" name="act" value="check">{{ $now ? 'Keep the change' : 'Add the check' }}</button>@if ($now || $kind)<a class="button plain" href="/feeds/{{ $enc }}/checks">Cancel</a>@endif</div>
        </form>
        <datalist id="column-names">@foreach ($names as $name)<option value="{{ $name }}">@endforeach</datalist>
        @endif
    </section>
    @endcan
</div>
@endsection
