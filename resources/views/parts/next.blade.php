@php $schedule = $feed->definition->body['schedule']; @endphp
@if ($feed->paused_at !== null)
    {{ $feed->cancel_asked ? 'is being reset' : 'paused by hand' }}
@elseif ($feed->standing === 'held')
    waits for you
@elseif ($feed->standing === 'failed' && $feed->due_at === null)
    stopped, waits for you
@elseif ($feed->standing === 'failed')
    retry {{ $feed->due_at->lte(now()) ? 'now' : 'in '.App\Support\Say::span($feed->due_at->diffInSeconds(now(), true)) }}
@elseif ($feed->standing === 'loading')
    {{ ($left = $feed->loading()?->left(Lighterman\Connectors\SteadyClock::micros() / 1e6)) === null ? 'loading' : App\Support\Say::span($left).' left' }}
@elseif ($feed->bringsChanges())
    continuous
@elseif (isset($schedule['continuous_pause_seconds']))
    continuous
@elseif ($feed->due_at === null)
    when told
@else
    <span title="{{ App\Support\Say::exactly($feed->due_at) }}">{{ $feed->due_at->lte(now()) ? 'due now' : ($feed->due_at->diffInHours(now(), true) < 12 ? 'in '.App\Support\Say::roughly($feed->due_at->diffInSeconds(now(), true)) : App\Support\Say::at($feed->due_at, false)) }}</span>
@endif
