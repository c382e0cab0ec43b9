@extends('layout')
@php
    use App\Support\Say;
    use Lighterman\Connectors\Kinds\Connectors;
    use Lighterman\Core\Port\Form\FieldKind;
    $is = fn (string $field, $otherwise = '') => old($field, $system === null ? $otherwise : ($field === 'name' ? $system->name : ($system->settings[$field] ?? $otherwise)));
    $enc = $system ? rawurlencode($system->name) : '';
@endphp
@section('heading', $system?->name ?? 'Add a system')
@section('content')
<div class="title"><h1>{{ $system?->name ?? 'Add a system' }}</h1>@if ($system)<span class="sub mono">{{ $system->place() }}</span>
    @can('change')<div class="acts"><form method="post" action="/systems/{{ $enc }}/check">@csrf<button class="button primary">Test</button></form></div>@endcan @endif</div>
<div class="two" style="align-items: start">
<section class="sheet pad">
    <h2>Connection{{ $system ? ", {$connector->word()}" : '' }}</h2>
    @unless ($system)<nav class="tabs-line" aria-label="Kind of system">@foreach (Connectors::all() as $k)<a href="/systems/new?kind={{ $k->kind() }}" @if ($k->kind() === $connector->kind()) aria-current="page" @endif>{{ $k->word() }}</a>@endforeach</nav>@endunless
    <form method="post" action="/systems{{ $system ? "/$enc" : '' }}" autocomplete="off">
        @csrf @if ($system) @method('put') @else <input type="hidden" name="kind" value="{{ $connector->kind() }}"> @endif
        <fieldset @cannot('change') disabled @endcannot>
        <div class="form-grid">
            <div class="field"><label for="name">Name</label><input class="input" id="name" name="name" value="{{ $is('name') }}" required maxlength="60"></div>
            @foreach ($connector->form()->fields as $f)
            <div class="field" @if ($f->kind === FieldKind::Path) style="grid-column: 1 / -1" @endif><label for="{{ $f->name }}">{{ $f->label }}</label>
                @if ($f->kind === FieldKind::Secret)<input class="input" id="secret" name="secret" type="password" autocomplete="new-password" @if ($system) placeholder="stored; leave empty to keep it" @endif><p class="hint">Kept encrypted and never shown again. {{ $system ? 'Asked for again when it would go elsewhere.' : '' }}</p>
                @elseif ($f->kind === FieldKind::Choice)<div class="select"><select id="{{ $f->name }}" name="{{ $f->name }}">@foreach ($f->limits->choices as $v => $word)<option value="{{ $v }}" @selected($is($f->name, $f->default) === $v)>{{ $word }}</option>@endforeach</select></div>
                @else<input class="input mono" id="{{ $f->name }}" name="{{ $f->name }}" value="{{ $is($f->name, $f->default) }}" placeholder="{{ $f->example }}" @if ($f->kind === FieldKind::Number) inputmode="numeric" @endif @if (! $f->limits->optional) required @endif>@endif
                @if ($f->hint !== '')<p class="hint">{{ $f->hint }}</p>@endif</div>
            @endforeach
        </div>
        @can('change')<button class="button primary">{{ $system ? 'Save and test' : 'Add and test' }}</button>@endcan
        </fieldset>
    </form>
</section>
@if ($system)
<div class="stack">
    @if ($system->findings === null)<section class="sheet empty"><p>It has not been tested yet.</p></section>@endif
    @foreach (['source' => 'As a source', 'target' => 'As a target', 'asker' => 'Queries by people'] as $as => $word)
        @if ($system->findings[$as] ?? null)
        <section class="sheet pad"><h2>{{ $word }} <span class="faded small" style="font-weight: 400" title="{{ Say::exactly($system->checked_at) }}">tested {{ Say::at($system->checked_at) }}</span></h2>
            @foreach ($system->findings[$as] as $f)<div class="finding"><span class="result r-{{ $f['result'] }}">{{ $f['result'] }}</span><span class="what">{{ $f['subject'] }}</span><span>{{ $f['said'] }}@if ($f['remedy'])<br><span class="remedy">Remedy: <code>{{ $f['remedy'] }}</code></span>@endif</span></div>@endforeach
        </section>
        @endif
    @endforeach
    @if ($system->asksApart() && ($system->asker_user !== null || $system->routesTo()->whereHas('feeds')->exists()))
    @can('change')
    <section class="sheet pad"><h2>Account for queries</h2>
        @if ($system->asker_user !== null)
        <p>People's queries run as <b class="mono">{{ $system->asker_user }}</b>, which may read landed tables and nothing else.@unless ($system->mayBeAsked()) <span class="r-failed">It may do too much, so nothing is asked until what failed above is put right.</span>@endunless</p>
        <form method="post" action="/systems/{{ $enc }}/asker">@csrf @method('delete')<button class="button">Take it away</button></form>
        @else
        <p class="faded small">Until {{ $system->name }} has one, what lands there is not offered on the SQL page. It is made by</p>
        <pre class="sql" tabindex="0" style="white-space: pre-wrap">{{ implode(";\n", $connector->askerStatements($system->settings, old('asker_user', 'lighterman_asks'))) }};</pre>
        <form method="post" action="/systems/{{ $enc }}/asker" autocomplete="off" style="margin-top: 10px">@csrf
            <div class="form-grid">
                <div class="field"><label for="asker_user">Account</label><input class="input mono" id="asker_user" name="asker_user" value="{{ old('asker_user', 'lighterman_asks') }}" required maxlength="63"></div>
                <div class="field"><label for="asker_secret">Its password</label><input class="input" id="asker_secret" name="asker_secret" type="password" autocomplete="new-password"><p class="hint">Empty: one is made.</p></div>
                <div class="field"><label for="administrator">Made by</label><input class="input mono" id="administrator" name="administrator" value="{{ old('administrator') }}" placeholder="{{ $system->settings['user'] }}" maxlength="63"><p class="hint">Who may make accounts.</p></div>
                <div class="field"><label for="administrator_secret">Password of that account</label><input class="input" id="administrator_secret" name="administrator_secret" type="password" autocomplete="off"><p class="hint">Used once, and not kept.</p></div>
            </div>
            <div class="bar" style="margin: 0"><button class="button primary" name="act" value="make">Run these and test</button><button class="button" name="act" value="made">They were run: test</button></div>
        </form>
        @endif
    </section>
    @endcan
    @endif
    @if ($orphans)
    <section class="sheet pad"><h2>Slots nobody reads</h2>
        <p class="faded small">No route here reads these replication slots. As long as they stand, the server keeps its log for them. Another Lighterman may be reading them.</p>
        @foreach ($orphans as $slot)
        <div style="border-top: 1px solid var(--hair); padding: 8px 0"><b class="mono">{{ $slot['name'] }}</b> <span class="{{ $slot['active'] ? 's-late' : '' }}">{{ $slot['active'] ? 'being read by somebody at this moment' : 'not being read' }}, keeps {{ Say::bytes($slot['retained']) }} of log</span>
            @can('change')<form method="post" action="/systems/{{ $enc }}/slots" class="bar" style="margin-top: 6px">@csrf<input type="hidden" name="slot" value="{{ $slot['name'] }}"><input class="input mono" name="confirm" aria-label="Type the name of the slot to drop it" placeholder="type its name to drop it" size="36" autocomplete="off"><button class="button danger">Drop slot</button></form>@endcan</div>
        @endforeach
    </section>
    @endif
    @can('change')
    <section class="sheet pad"><h2>Remove</h2>
        <form method="post" action="/systems/{{ $enc }}">@csrf @method('delete')
            <div class="field"><label for="confirm">Type {{ $system->name }} to remove it</label><input class="input" id="confirm" name="confirm" autocomplete="off"></div>
            <button class="button danger">Remove system</button></form></section>
    @endcan
</div>
@endif
</div>
@endsection
