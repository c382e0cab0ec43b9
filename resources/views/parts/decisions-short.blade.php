<section class="sheet pad">
    <h2><a href="/decisions" style="color: inherit; text-decoration: none">Waiting for a decision</a></h2>
    @foreach ($waiting as $feed)
        <div style="display: flex; gap: 8px; padding: 6px 0; border-top: 1px solid var(--hair)">
            {{ App\Support\Mark::state($feed->state(), '') }}
            <div style="line-height: 1.3; min-width: 0; overflow-wrap: anywhere"><a class="strong" href="/feeds/{{ rawurlencode($feed->name) }}" style="color: inherit; text-decoration: none" title="{{ $feed->name }}">{{ App\Support\Say::name($feed->name, 28) }}</a><br><span class="faded small">{{ Illuminate\Support\Str::limit($feed->trouble->message ?? App\Support\Say::span($feed->behind()).' behind, promised '.App\Support\Say::span((float) $feed->promise_seconds), 90) }}</span></div>
        </div>
    @endforeach
    @foreach ($aside as $a)
        <div style="padding: 6px 0; border-top: 1px solid var(--hair); line-height: 1.3; overflow-wrap: anywhere"><a class="strong" href="/feeds/{{ rawurlencode($a->name) }}/set-aside" style="color: inherit; text-decoration: none">{{ App\Support\Say::name($a->name, 28) }}</a><br><span class="faded small">{{ App\Support\Say::count($a->records) }} {{ $a->records === 1 ? 'record' : 'records' }} set aside, most because: {{ Illuminate\Support\Str::limit($a->step, 60) }}</span></div>
    @endforeach
    @if ($waiting->isEmpty() && $aside->isEmpty())<p class="faded small">Nothing waits for you.</p>@endif
</section>
