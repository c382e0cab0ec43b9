@php
    $enc = rawurlencode($feed->name);
    $waiting = $feed->recordsWaiting();
@endphp
<div class="title" style="margin-bottom: 6px">
    <h1>{{ $feed->name }}</h1>
    <span class="sub"><span class="mono">{{ $feed->route->source->name }}{{ isset($feed->definition->body['files']) ? ' '.substr($feed->definition->body['table'], 6) : ".{$feed->definition->body['table']}" }}</span> → <span class="mono">{{ $feed->route->target->name }}.{{ $feed->landed }}</span>@if ($forks = count($feed->definition->body['treatment']['forks'] ?? [])) and <a href="/feeds/{{ $enc }}/forks">{{ $forks }} {{ $forks === 1 ? 'fork' : 'forks' }}</a>@endif · {{ $feed->capture }}@if ($feed->definition->body['watermark']) on <span class="mono">{{ $feed->definition->body['watermark'] }}</span>@endif, {{ $feed->definition->body['landing'] }}@if (($feed->definition->body['deletes'] ?? null) && $feed->definition->body['landing'] === 'upsert'), deletes {{ ['apply' => 'applied', 'mark' => 'marked', 'ignore' => 'ignored'][$feed->definition->body['deletes']] }}@endif</span>
    @can('change')
    <div class="acts">
        <form method="post" action="/feeds/act">@csrf<input type="hidden" name="feeds[]" value="{{ $feed->name }}">
            @if (in_array($feed->state(), ['paused', 'held', 'failed'], true))
                <button class="button primary" name="act" value="resume">Resume</button>
            @else
                @if (! $feed->bringsChanges())<button class="button" name="act" value="runNow">Run now</button>@endif
                <button class="button" name="act" value="pause">Pause</button>
            @endif
        </form>
    </div>
    @endcan
</div>
<nav class="tabs-line" aria-label="Parts of this feed">
    @foreach (['' => 'Now', ...($feed->bringsChanges() ? ['/delay' => 'Delay', '/life' => 'A row\'s life'] : []), ...(isset($feed->definition->body['files']) ? ['/files' => 'Files'] : []), '/columns' => 'Columns', '/checks' => 'Checks', '/forks' => 'Forks', ...(Gate::allows('change') ? ['/rehearse' => 'Rehearsal'] : []), '/set-aside' => 'Set aside', '/runs' => 'Runs', '/set-up' => 'Set-up'] as $path => $word)
        <a href="/feeds/{{ $enc }}{{ $path }}" @if ($tab === $word) aria-current="page" @endif>{{ $word }}@if ($word === 'Set aside' && $waiting) <span class="badge">{{ App\Support\Say::short($waiting) }}</span>@endif</a>
    @endforeach
    <a href="/landed/{{ $enc }}">Landed rows</a>
</nav>
@php $routeLog = $feed->log(); @endphp
@if ($routeLog?->trouble)
    <div class="note {{ $routeLog->hasFailed() ? 'trouble' : 'caution' }}" role="alert">
        <p class="strong">{{ $routeLog->trouble->message }}</p>
        <p>@include('parts.remedy', ['remedy' => $routeLog->trouble->remedy, 'log' => $routeLog])</p>
    </div>
@endif
@if ($gap = $feed->recentGap())
    <div class="note caution" role="alert">
        <p class="strong">{{ $gap->why }}, found {{ App\Support\Say::at($gap->at) }}: changes made before that may not have been recorded.</p>
        <p>{{ $feed->reload === null ? 'The table was loaded again beside its changes' : 'The table is being loaded again beside its changes, and the feed counts as loading until it is' }}. @if (($feed->definition->body['landing'] ?? '') === 'append') What was deleted in between is not in the journal. @endif Find out who did it.</p>
    </div>
@endif
@if ($feed->trouble && $feed->paused_at === null)
    <div class="note {{ $feed->standing === 'held' ? 'caution' : 'trouble' }}" role="alert">
        <p class="strong">{{ $feed->trouble->message }}</p>
        <p>@include('parts.remedy', ['remedy' => $feed->trouble->remedy, 'log' => null, 'here' => "/feeds/{$enc}"])</p>
        @if ($feed->trouble->remedy->act === Lighterman\Core\Trouble\Act::DecideEmptied)
            @can('change')<form method="post" action="/feeds/{{ $enc }}/emptied" class="bar">@csrf<button class="button" name="what" value="carry">Empty the copy too</button><button class="button" name="what" value="keep">Keep the copy's rows</button></form>@endcan
        @elseif ($feed->trouble->remedy->act === Lighterman\Core\Trouble\Act::LoadAgain && $feed->kind()->loadsAgain())
            @can('change')<form method="post" action="/feeds/{{ $enc }}/reload">@csrf<button class="button" name="what" value="whole">Load the table again</button></form>@endcan
        @elseif ($feed->standing === 'held')
            @can('change')<form method="post" action="/feeds/{{ $enc }}/agree">@csrf<button class="button">Agree to the new shape</button></form>@endcan
        @elseif ($feed->due_at)
            <p>Tried {{ $feed->failures }} {{ $feed->failures === 1 ? 'time' : 'times' }}; @include('parts.next')</p>
        @endif
    </div>
@endif
