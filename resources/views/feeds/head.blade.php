@php $enc = rawurlencode($feed->name); @endphp
<div class="title" style="margin-bottom: 6px">
    <h1>{{ $feed->name }}</h1>
    <span class="sub"><span class="mono">{{ $feed->route->source->name }}.{{ $feed->definition->body['table'] }}</span> → <span class="mono">{{ $feed->route->target->name }}.{{ $feed->landed }}</span> · {{ $feed->capture }}@if ($feed->definition->body['watermark']) on <span class="mono">{{ $feed->definition->body['watermark'] }}</span>@endif, {{ $feed->definition->body['landing'] }}</span>
    @can('change')
    <div class="acts">
        <form method="post" action="/feeds/act">@csrf<input type="hidden" name="feeds[]" value="{{ $feed->name }}">
            @if (in_array($feed->state(), ['paused', 'held', 'failed'], true))
                <button class="button primary" name="act" value="resume">Resume</button>
            @else
                <button class="button" name="act" value="runNow">Run now</button>
                <button class="button" name="act" value="pause">Pause</button>
            @endif
        </form>
    </div>
    @endcan
</div>
<nav class="tabs-line" aria-label="Parts of this feed">
    @foreach (['' => 'Now', '/columns' => 'Columns', '/runs' => 'Runs', '/set-up' => 'Set-up'] as $path => $word)
        <a href="/feeds/{{ $enc }}{{ $path }}" @if ($tab === $word) aria-current="page" @endif>{{ $word }}</a>
    @endforeach
    <a href="/landed/{{ $enc }}">Landed rows</a>
</nav>
@if ($feed->trouble && $feed->paused_at === null)
    <div class="note {{ $feed->standing === 'held' ? 'caution' : 'trouble' }}" role="alert">
        <p class="strong">{{ $feed->trouble['message'] }}</p>
        <p>{{ $feed->trouble['remedy'] }}</p>
        @if ($feed->standing === 'held')
            @can('change')<form method="post" action="/feeds/{{ $enc }}/agree">@csrf<button class="button">Agree to the new shape</button></form>@endcan
        @elseif ($feed->due_at)
            <p>Tried {{ $feed->failures }} {{ $feed->failures === 1 ? 'time' : 'times' }}; @include('parts.next')</p>
        @endif
    </div>
@endif
