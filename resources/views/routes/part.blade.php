@php
    use App\Support\Say;
    $words = Lighterman\Core\Capture\Kind\Kinds::named($capture)->stream();
@endphp
<div class="title"><h1>{{ $route->name }}</h1><span class="sub">{{ $feeds->count() }} {{ $feeds->count() === 1 ? 'feed' : 'feeds' }} by {{ $capture }} @if ($others)· {{ $others }} by other captures @endif</span>
    @if ($log) @can('change')<div class="acts"><form method="post" action="/routes/{{ $route->id }}/check">@csrf<input type="hidden" name="capture" value="{{ $capture }}"><button class="button primary">Check {{ $words->reading }}</button></form></div>@endcan @endif</div>
@if ($route->logs->count() > 1)
<nav class="tabs-line" aria-label="Captures of this route">@foreach ($route->logs->sortBy('capture') as $by)<a href="/routes/{{ $route->id }}?capture={{ $by->capture }}" @if ($capture === $by->capture) aria-current="page" @endif>{{ Lighterman\Core\Capture\Kind\Kinds::named($by->capture)->stream()->by }}</a>@endforeach</nav>
@endif
@if ($log === null)
    <div class="sheet empty"><p><strong>No feed of this route follows changes.</strong></p><p>Choose capture log for a new feed, or trigger where the log cannot be had; all feeds of a route with the same one share what they are read by.</p>@can('change')<p><a class="button primary" href="/feeds/new">New feeds</a></p>@endcan</div>
@else
@include('parts.workers')
@if ($log->trouble)
    <div class="note {{ $log->hasFailed() ? 'trouble' : 'caution' }}" role="alert"><p class="strong">{{ $log->trouble->message }}</p><p>{{ $log->trouble->remedy }}</p>@if ($log->standing !== 'failed')<p>Lighterman goes on trying.@if ($log->standing === 'spooling') Meanwhile changes are read into the spool, so that the source need not keep its log.@endif</p>@endif</div>
@elseif ($log->retained_bytes > $log->warn_bytes)
    <div class="note caution" role="alert"><p class="strong">The source keeps {{ Say::bytes($log->retained_bytes) }} of {{ $words->kept }} for this route.</p><p>Above {{ Say::bytes($log->spool_bytes) }} changes are read into the spool while the target cannot take them. A transaction open for long at the source keeps log too.</p></div>
@endif
@php $gaps = $feeds->filter(fn ($f) => $f->recentGap() !== null); @endphp
@if ($gaps->isNotEmpty())
    <div class="note caution" role="alert"><p class="strong">Changes of {{ $gaps->map(fn ($f) => $f->definition->body['table'])->unique()->implode(', ') }} were not recorded for some time.</p>
        @foreach ($gaps->take(5) as $f)<p><a href="/feeds/{{ rawurlencode($f->name) }}">{{ $f->name }}</a>: {{ lcfirst($f->recentGap()->why) }}, found {{ Say::at($f->recentGap()->at) }}. It was put right, and the table {{ $f->reload === null ? 'was' : 'is being' }} loaded again beside its changes.</p>@endforeach</div>
@endif
<div class="columns-2">
    <div class="stack">
        @include('parts.tide')
        <div class="sheet table-box">
            <table class="rows" x-data="rows"><caption class="hidden-text">Feeds of this route by {{ $capture }}</caption>
                <thead><tr><th>Feed</th><th>Table</th><th>Landing</th><th>State</th><th class="num">Behind</th><th class="num">Waiting in the spool</th><th class="num">Landed</th></tr></thead>
                <tbody>@forelse ($feeds as $feed)<tr tabindex="0" data-text="{{ $feed->name }}"><td class="clip"><a href="/feeds/{{ rawurlencode($feed->name) }}">{{ Say::name($feed->name, 30) }}</a></td><td class="mono clip">{{ $feed->definition->body['table'] }}</td><td class="faded">{{ $feed->definition->body['landing'] }}</td><td>{{ App\Support\Mark::state($feed->state()) }}</td><td class="num">{{ Say::span($feed->behind()) }}</td><td class="num {{ $feed->waiting ? '' : 'faded' }}">{{ Say::count($feed->waiting) }}</td><td class="num faded">{{ Say::at($feed->last_landed_at) }}</td></tr>
                @empty<tr><td colspan="7" class="faded">No feed is left; what was made for them at the source is being removed.</td></tr>@endforelse</tbody></table>
        </div>
        @if ($log->findings)
        <section class="sheet pad" id="check"><h2>What is needed to read {{ $words->reading }} <span class="faded small" style="font-weight: 400" title="{{ Say::exactly($log->checked_at) }}">checked {{ Say::at($log->checked_at) }}</span></h2>
            @foreach ($log->findings as $f)<div class="finding"><span class="result r-{{ $f['result'] }}">{{ $f['result'] }}</span><span class="what">{{ $f['subject'] }}</span><span>{{ $f['said'] }}@if ($f['remedy'])<br><span class="remedy">Remedy: <code>{{ $f['remedy'] }}</code></span>@endif</span></div>@endforeach
        </section>
        @endif
    </div>
    <div class="stack">
        <section class="sheet pad">
            <h2>{{ $words->heading }}</h2>
            <dl class="facts">
                <div><dt>Reading</dt><dd class="{{ $log->hasFailed() ? 's-failed' : '' }}">{{ ['new' => 'not begun', 'reading' => 'reading', 'spooling' => 'into the spool', 'waiting' => 'waits to try again', 'failed' => 'stopped'][$log->standing] ?? $log->standing }}</dd></div>
                <div><dt>Kept by the source</dt><dd title="{{ Say::count($log->retained_bytes) }} bytes">{{ Say::bytes($log->retained_bytes) }}</dd></div>
                @if ($log->unseenSince())<div><dt>Changes known</dt><dd class="{{ $log->isRead() ? '' : 'warn' }}" title="{{ Say::exactly($log->unseenSince()) }}">up to {{ Say::at($log->unseenSince()) }}</dd></div>@endif
                @if ($words->measured)<div><dt>Not yet read</dt><dd title="{{ Say::count($log->waiting_bytes) }} bytes">{{ Say::bytes($log->waiting_bytes) }}</dd></div>@endif
                @foreach (['p50' => 0.5, 'p95' => 0.95, 'p99' => 0.99] as $word => $share)<div><dt>Delay {{ $word }}, last hour</dt><dd>{{ ($p = $delays->percentile($share)) === null ? '—' : Say::took($p) }}</dd></div>@endforeach
                <div><dt>Throughput, last hour</dt><dd>{{ number_format($delays->rate(), 1) }} a second</dd></div>
                <div><dt>Source's clock</dt><dd>@if ($log->clock_uncertain_us === null)—@else{{ number_format(abs($log->clock_ahead_us) / 1000, 1) }} ms {{ $log->clock_ahead_us < 0 ? 'behind' : 'ahead' }}, ± {{ number_format($log->clock_uncertain_us / 1000, 1) }} ms @endif</dd></div>
                @foreach ($log->names as $what => $called)<div><dt>{{ ucfirst($what) }}</dt><dd class="mono small">{{ $called }}</dd></div>@endforeach
            </dl>
        </section>
        @can('change')
        <section class="sheet pad"><h2>Limits of the {{ $words->kept }}, MB</h2>
            <form method="post" action="/routes/{{ $route->id }}/limits">@csrf<input type="hidden" name="capture" value="{{ $capture }}">
                <div class="field"><label for="warn">Warn above</label><input class="input num" id="warn" name="warn" inputmode="numeric" value="{{ old('warn', (int) round($log->warn_bytes / 1e6)) }}" required></div>
                <div class="field"><label for="spool">Read into the spool above, while the target cannot take it</label><input class="input num" id="spool" name="spool" inputmode="numeric" value="{{ old('spool', (int) round($log->spool_bytes / 1e6)) }}" required></div>
                <div class="field"><label for="drop">{{ $words->things }} above</label><input class="input num" id="drop" name="drop" inputmode="numeric" value="{{ old('drop', $log->drop_bytes === null ? '' : (int) round($log->drop_bytes / 1e6)) }}" placeholder="never"><p class="hint">Guards the source's disk at the price of loading every table again.</p></div>
                <button class="button">Save limits</button></form></section>
        <section class="sheet pad"><h2>Begin anew</h2>
            <p class="faded small">{{ $words->renewed }} and loads every table again beside its changes. Needed when what stood at the source is gone. Rows deleted at the source in between are landed as deletes; only journals do not tell of them.</p>
            <form method="post" action="/routes/{{ $route->id }}/anew">@csrf<input type="hidden" name="capture" value="{{ $capture }}">
                <div class="field"><label for="confirm">Type {{ $route->name }} to begin anew</label><input class="input" id="confirm" name="confirm" autocomplete="off"></div>
                <button class="button danger">Begin anew</button></form></section>
        @endcan
    </div>
</div>
@endif
