@php $ruler = $frame->ruler(); @endphp
<div class="name">@if ($ruler['unplaced'])<span title="Feeds without anything landed have no place on the scale">{{ array_sum($ruler['unplaced']) }} not yet landed</span>@else time behind @endif</div>
<div class="scale" role="group" tabindex="0" data-walk aria-label="Ruler: {{ count($ruler['marks']) + array_sum(array_column($ruler['piles'], 'count')) }} feeds by time behind. Left and right walk them, Enter opens one.">
    <div class="bed"></div>
    @foreach ($frame->ticks() as $tick)
        <div class="tick {{ $loop->last ? 'last' : '' }}" style="left: {{ round($tick['place'], 2) }}%"><span>{{ $tick['label'] }}</span></div>
    @endforeach
    @foreach ($ruler['piles'] as $pile)
        <div class="pile s-{{ str_replace(' ', '-', $pile['state']) }}" style="left: {{ $pile['place'] }}%; width: .8%; height: {{ round($pile['height'], 1) }}px" title="{{ $pile['count'] }} {{ $pile['state'] }}"></div>
    @endforeach
    @foreach ($ruler['marks'] as $m)
        @php $slug = str_replace(' ', '-', $m['state']); @endphp
        <a class="spot s-{{ $slug }} {{ $m['named'] ? 'named' : '' }} {{ $m['named'] && ($m['left'] ?? false) ? 'left-named' : '' }}" href="/feeds/{{ rawurlencode($m['name']) }}" tabindex="-1" aria-hidden="true" style="left: {{ round($m['place'], 2) }}%; bottom: {{ $m['bottom'] }}px"><svg aria-hidden="true"><use href="#m-{{ $slug }}"/></svg>@if ($m['named']){{ $m['label'] }}@endif<span class="tip">{{ $m['name'] }}: {{ $m['state'] }}, {{ App\Support\Say::span($m['behind']) }} behind</span></a>
    @endforeach
<span class="hidden-text" aria-live="polite" data-said></span>
</div>
