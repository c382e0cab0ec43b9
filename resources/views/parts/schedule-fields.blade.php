<div class="form-grid">
    <div class="field"><label for="schedule">Runs</label><div class="select"><select id="schedule" name="schedule">@foreach (['continuous' => 'continuously', 'every' => 'every so many minutes', 'cron' => 'by cron expression', 'manual' => 'only when told'] as $v => $word)<option value="{{ $v }}" @selected(old('schedule', $schedule->kind) === $v)>{{ $word }}</option>@endforeach</select></div></div>
    <div class="field"><label for="every">Every, minutes</label><input class="input" id="every" name="every_minutes" inputmode="numeric" value="{{ old('every_minutes', $schedule->kind === 'every' ? intdiv($schedule->seconds, 60) : 5) }}"></div>
    <div class="field"><label for="pause">Continuous, seconds between windows</label><input class="input" id="pause" name="pause_seconds" inputmode="numeric" value="{{ old('pause_seconds', $schedule->kind === 'continuous' ? $schedule->seconds : 5) }}"></div>
    <div class="field"><label for="cron">Cron expression</label><input class="input mono" id="cron" name="cron" value="{{ old('cron', $schedule->expression) }}" placeholder="*/10 6-20 * * 1-5"></div>
    <div class="field"><label for="zone">in time zone</label><input class="input" id="zone" name="zone" value="{{ old('zone', $schedule->zone) }}"></div>
</div>
<div x-data="preview" data-part="/parts/schedule" aria-live="polite" style="margin-bottom: 10px">@include('parts.schedule-reading', ['trouble' => null])</div>
