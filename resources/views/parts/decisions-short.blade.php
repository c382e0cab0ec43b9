<section class="sheet pad">
    <h2><a href="/decisions" style="color: inherit; text-decoration: none">Waiting for a decision</a></h2>
    @forelse ($waiting as $feed)
        <div style="display: flex; gap: 8px; padding: 6px 0; border-top: 1px solid var(--hair)">
            {{ App\Support\Mark::state($feed->state(), '') }}
            <div style="line-height: 1.3; min-width: 0; overflow-wrap: anywhere"><a class="strong" href="/feeds/{{ rawurlencode($feed->name) }}" style="color: inherit; text-decoration: none" title="{{ $feed->name }}">{{ App\Support\Say::name($feed->name, 28) }}</a><br><span class="faded small">{{ Illuminate\Support\Str::limit($feed->trouble['message'] ?? App\Support\Say::span($feed->behind()).' behind, promised '.App\Support\Say::span((float) $feed->promise_seconds), 90) }}</span></div>
        </div>
    @empty
        <p class="faded small">Nothing waits for you.</p>
    @endforelse
</section>
