@extends('layout')
@php
    use App\Support\Say;
    $is = fn (string $field, $otherwise = '') => old($field, $system === null ? $otherwise : ($field === 'name' ? $system->name : ($system->settings[$field] ?? $otherwise)));
    $enc = $system ? rawurlencode($system->name) : '';
@endphp
@section('heading', $system?->name ?? 'Add a system')
@section('content')
<div class="title"><h1>{{ $system?->name ?? 'Add a system' }}</h1>@if ($system)<span class="sub mono">{{ $system->place() }}</span>
    @can('change')<div class="acts"><form method="post" action="/systems/{{ $enc }}/check">@csrf<button class="button primary">Test</button></form></div>@endcan @endif</div>
<div class="two" style="align-items: start">
<section class="sheet pad">
    <h2>Connection{{ $system ? ", {$kind->word()}" : '' }}</h2>
    @unless ($system)<nav class="tabs-line" aria-label="Kind of system">@foreach (App\Support\SystemKind::cases() as $k)<a href="/systems/new?kind={{ $k->value }}" @if ($k === $kind) aria-current="page" @endif>{{ $k->word() }}</a>@endforeach</nav>@endunless
    <form method="post" action="/systems{{ $system ? "/$enc" : '' }}" autocomplete="off">
        @csrf @if ($system) @method('put') @else <input type="hidden" name="kind" value="{{ $kind->value }}"> @endif
        <fieldset @cannot('change') disabled @endcannot>
        <div class="form-grid">
            <div class="field"><label for="name">Name</label><input class="input" id="name" name="name" value="{{ $is('name') }}" required maxlength="60"></div>
            @if ($kind->isServer())
            <div class="field"><label for="host">Host</label><input class="input mono" id="host" name="host" value="{{ $is('host') }}" required></div>
            <div class="field"><label for="port">Port</label><input class="input mono" id="port" name="port" inputmode="numeric" value="{{ $is('port', $kind === App\Support\SystemKind::MariaDb ? 3306 : 5432) }}" required></div>
            <div class="field"><label for="database">Database</label><input class="input mono" id="database" name="database" value="{{ $is('database') }}" required></div>
            <div class="field"><label for="user">User</label><input class="input mono" id="user" name="user" value="{{ $is('user') }}" required></div>
            <div class="field"><label for="secret">Password</label><input class="input" id="secret" name="secret" type="password" autocomplete="new-password" @if ($system) placeholder="stored; leave empty to keep it" @endif><p class="hint">Kept encrypted and never shown again. {{ $system ? 'Asked for again when it would go elsewhere.' : '' }}</p></div>
            <div class="field"><label for="tls">TLS</label><div class="select"><select id="tls" name="tls">@foreach (['prefer' => 'if the server offers it', 'require' => 'always', 'verify-full' => 'always, and check the certificate', 'disable' => 'never'] as $v => $word)<option value="{{ $v }}" @selected($is('tls', 'prefer') === $v)>{{ $word }}</option>@endforeach</select></div></div>
            @elseif ($kind->isStore())
            <div class="field"><label for="endpoint">Address</label><input class="input mono" id="endpoint" name="endpoint" value="{{ $is('endpoint') }}" placeholder="https://store.aldermoor.example" required><p class="hint">Of any store that speaks the S3 protocol.</p></div>
            <div class="field"><label for="region">Region</label><input class="input mono" id="region" name="region" value="{{ $is('region', 'us-east-1') }}" required><p class="hint">Where a store has none, leave it.</p></div>
            <div class="field"><label for="bucket">Bucket</label><input class="input mono" id="bucket" name="bucket" value="{{ $is('bucket') }}" required></div>
            <div class="field"><label for="prefix">Below</label><input class="input mono" id="prefix" name="prefix" value="{{ $is('prefix') }}" placeholder="the whole bucket"><p class="hint">A prefix such as lake/cider.</p></div>
            <div class="field"><label for="user">Key</label><input class="input mono" id="user" name="user" value="{{ $is('user') }}" required></div>
            <div class="field"><label for="secret">Secret</label><input class="input" id="secret" name="secret" type="password" autocomplete="new-password" @if ($system) placeholder="stored; leave empty to keep it" @endif><p class="hint">Kept encrypted and never shown again. {{ $system ? 'Asked for again when it would go elsewhere.' : '' }}</p></div>
            <div class="field"><label for="addressing">The bucket stands</label><div class="select"><select id="addressing" name="addressing">@foreach (['path' => 'in the path of the address', 'host' => 'before its host'] as $v => $word)<option value="{{ $v }}" @selected($is('addressing', 'path') === $v)>{{ $word }}</option>@endforeach</select></div></div>
            @elseif ($kind === App\Support\SystemKind::Lake)
            <div class="field" style="grid-column: 1 / -1"><label for="path">Folder on this machine</label><input class="input mono" id="path" name="path" value="{{ $is('path') }}" placeholder="/srv/lake" required><p class="hint">Tables land there as files, in folders by partition. Workers and pages must run where it lies.</p></div>
            @elseif ($kind === App\Support\SystemKind::Files)
            <div class="field" style="grid-column: 1 / -1"><label for="path">Folder on this machine</label><input class="input mono" id="path" name="path" value="{{ $is('path') }}" placeholder="/srv/lab-drop" required><p class="hint">Files are left there by others, and only read. Workers and pages must run where it lies.</p></div>
            @else
            <div class="field" style="grid-column: 1 / -1"><label for="path">File on this machine</label><input class="input mono" id="path" name="path" value="{{ $is('path') }}" placeholder="/srv/cellar/cellar.db" required><p class="hint">Workers and pages must run where it lies. Capture trigger, and windows that miss nothing, need the right to write it.</p></div>
            @endif
        </div>
        @can('change')<button class="button primary">{{ $system ? 'Save and test' : 'Add and test' }}</button>@endcan
        </fieldset>
    </form>
</section>
@if ($system)
<div class="stack">
    @if ($system->findings === null)<section class="sheet empty"><p>It has not been tested yet.</p></section>@endif
    @foreach (['source' => 'As a source', 'target' => 'As a target'] as $as => $word)
        @if ($system->findings[$as] ?? null)
        <section class="sheet pad"><h2>{{ $word }} <span class="faded small" style="font-weight: 400" title="{{ Say::exactly($system->checked_at) }}">tested {{ Say::at($system->checked_at) }}</span></h2>
            @foreach ($system->findings[$as] as $f)<div class="finding"><span class="result r-{{ $f['result'] }}">{{ $f['result'] }}</span><span class="what">{{ $f['subject'] }}</span><span>{{ $f['said'] }}@if ($f['remedy'])<br><span class="remedy">Remedy: <code>{{ $f['remedy'] }}</code></span>@endif</span></div>@endforeach
        </section>
        @endif
    @endforeach
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
