@php $l = $sheet->lines[$line] ?? null; @endphp
@if ($l)
    <div class="mono small">@if ($l['line']->from !== null)<span class="faded">{{ Illuminate\Support\Str::limit($l['raw'] ?? 'null', 60) }} → </span>@endif @if ($l['line']->drop)<span class="faded">not landed</span>@elseif ($l['error'] || $l['fault'])<span class="wrong">{{ $l['error'] ?? $l['fault'] }}</span>@else<b>{{ Illuminate\Support\Str::limit(is_string($l['value']) ? $l['value'] : 'null', 80) }}</b> <span class="faded">{{ $l['type'] }}</span>@endif</div>
    @if ($l['failed'])<div class="warn small">{{ $l['failed'] }} of {{ count($sheet->rows) }} sampled rows fail here</div>@endif
@endif
