@php
    $schedule = $feed->definition->body['schedule'];
    $in = $feed->due_at === null ? 0.0 : (float) $feed->due_at->format('U.u') - (float) now()->format('U.u');
@endphp
@if ($feed->paused_at !== null)
    {{ $feed->cancel_asked ? 'is being reset' : 'paused by hand' }}
@elseif ($feed->standing === 'held')
    waits for you
@elseif ($feed->standing === 'failed' && $feed->due_at === null)
    stopped, waits for you
@elseif ($feed->standing === 'failed')
    retry {{ $in <= 0 ? 'now' : 'in '.App\Support\Say::span($in) }}
@elseif ($feed->standing === 'loading')
    {{ ($left = $feed->loading()?->left(Lighterman\Connectors\SteadyClock::micros() / 1e6)) === null ? 'loading' : App\Support\Say::span($left).' left' }}
@elseif ($feed->bringsChanges())
    continuous
@elseif (isset($schedule['continuous_pause_seconds']))
    continuous
@elseif ($feed->due_at === null)
    when told
@else
    <span title="{{ App\Support\Say::exactly($feed->due_at) }}">{{ $in <= 0 ? 'due now' : ($in < 43_200 ? 'in '.App\Support\Say::roughly($in) : App\Support\Say::at($feed->due_at, false)) }}</span>
@endif
