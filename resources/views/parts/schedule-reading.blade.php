@if ($trouble)
    <p class="small r-failed">{{ $trouble->getMessage() }} @include('parts.remedy', ['remedy' => $trouble->remedy()])</p>
@else
    <p class="small"><span class="faded">That is:</span> {{ $schedule->reading() }}@if ($schedule->kind === 'cron'). <span class="faded">Next:</span> {{ implode(', ', array_map(fn ($t) => App\Support\Say::at($t, false), $schedule->upcoming(now()->toImmutable(), 5))) }} <span class="faded">({{ App\Support\Say::zone() }})</span>@endif</p>
@endif
