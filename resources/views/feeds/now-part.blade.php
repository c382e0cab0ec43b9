@php
    use App\Support\Say;
    $state = $feed->state();
    $slug = str_replace(' ', '-', $state);
@endphp
@php $waiting = $feed->recordsWaiting(); @endphp
@include('feeds.head', ['tab' => 'Now'])
@include('parts.workers')
<div class="columns-2">
    <div class="stack">
        @if (($feed->standing === 'loading' || $feed->bringsChanges()) && ($load = $feed->loading()))
            @php [$share, $now] = [$load->share(), Lighterman\Connectors\SteadyClock::micros() / 1e6]; @endphp
            <section class="sheet pad">
                <div style="display: flex"><h2>{{ $feed->complete_up_to === null ? 'First load' : 'Load' }}</h2>@can('change')<a style="margin-left: auto" class="small" href="/feeds/{{ rawurlencode($feed->name) }}/set-up#start-over">Cancel the load…</a>@endcan</div>
                <div class="progress-line" role="progressbar" aria-label="First load" aria-valuenow="{{ (int) (100 * $share) }}" aria-valuemin="0" aria-valuemax="100"><i style="width: {{ round(100 * ($share ?? 0), 1) }}%"></i></div>
                <p style="margin-top: 6px">{{ Say::count($load->rows) }} rows landed @if ($load->of) of about {{ Say::short($load->of) }}@endif @if ($rate = $load->rate($now)) · {{ Say::short($rate) }} rows a second @endif @if ($left = $load->left($now)) · about {{ Say::span($left) }} left @endif</p>
            </section>
        @endif
        @if ($feed->bringsChanges())
            @include('parts.tide', ['log' => $feed->log()])
        @else
            @include('feeds.behind')
        @endif
        <section class="sheet table-box">
            @if ($feed->bringsChanges()) @include('feeds.receipt-rows') @else @include('feeds.run-rows', ['runs' => $runs]) @endif
        </section>
    </div>
    <div class="stack">
        <section class="sheet pad">
            <div style="display: flex"><span class="faded small">Behind</span><span style="margin-left: auto">{{ App\Support\Mark::state($state) }}</span></div>
            <div class="big s-{{ $slug }}" title="{{ $feed->behind() === null ? '' : number_format($feed->behind(), 3).' s' }}">{{ Say::span($feed->behind()) }}</div>
            <div class="faded">promise {{ Say::span((float) $feed->promise_seconds) }}</div>
            @if ($kept->day->share() !== null)<div class="faded">kept <b style="color: var(--ink)">{{ Say::share($kept->day->share()) }}</b> in 24 h, <b style="color: var(--ink)">{{ Say::share($kept->week->share()) }}</b> in 7 d</div>@endif
            @if ($left = Say::leftOut($kept->day))<div class="faded small" title="Minutes count whoever was to blame for them, but for those in which the feed was paused, had not yet landed whole, or nobody looked">{{ Say::count($kept->day->minutes) }} min counted in 24 h; not counted: {{ $left }}</div>@endif
            <dl class="facts" style="margin-top: 10px">
                @if ($feed->bringsChanges())
                <div><dt>Waiting</dt><dd>@if (($unseen = Say::unseen($feed->log())) === '' || $tide->waiting()){{ Say::short($tide->waiting()) }} changes @endif @if ($unseen !== '')<span class="{{ $feed->log()?->isRead() ? 'faded' : 'warn' }}">{{ $unseen }}</span>@elseif ($feed->kind()->stream()?->measured)· {{ Say::bytes($feed->log()?->waiting_bytes) }} of {{ $feed->kind()->stream()->kept }} @endif</dd></div>
                @foreach (['p50' => 0.5, 'p95' => 0.95, 'p99' => 0.99] as $word => $share)<div><dt>Delay {{ $word }}, last hour</dt><dd>{{ ($p = $delays->percentile($share)) === null ? '—' : Say::took($p) }}</dd></div>@endforeach
                <div><dt>Throughput, last hour</dt><dd>{{ number_format($delays->rate(), 1) }} a second</dd></div>
                @php $spent = array_sum($delays->spent); @endphp
                @if ($spent > 0)<div><dt title="Share of the working time, last hour">Reading · treating · landing</dt><dd>@foreach ($delays->spent as $ms){{ round(100 * $ms / $spent) }}{{ $loop->last ? ' %' : ' · ' }}@endforeach</dd></div>@endif
                @endif
                @if ($waiting)<div><dt>Set aside</dt><dd><a class="warn" href="/feeds/{{ rawurlencode($feed->name) }}/set-aside">{{ Say::count($waiting) }} waiting</a></dd></div>@endif
                <div><dt>Last landed</dt><dd title="{{ Say::exactly($feed->last_landed_at) }}">{{ Say::at($feed->last_landed_at) }}</dd></div>
                <div><dt>Next</dt><dd>@include('parts.next')</dd></div>
                <div><dt>Position</dt><dd class="mono small">{{ $feed->stands() }}</dd></div>
                <div><dt>Receipts</dt><dd>{{ Say::count($feed->sequence) }}</dd></div>
            </dl>
        </section>
        <section class="sheet pad">
            <h2>What is promised</h2>
            @forelse ($guarantee?->claims ?? [] as $claim)
                <div class="claim"><b class="r-{{ str_replace(' ', '-', $claim->strength) }}">{{ $claim->headline }}.</b> <span class="faded">{{ $claim->reason }}</span></div>
            @empty
                <p class="faded small">{{ $feed->route->source->name }} does not answer now, so what it can do is not known.</p>
            @endforelse
        </section>
    </div>
</div>
