@php
    $enc = rawurlencode($feed->name);
    $n = count($sheet->rows);
@endphp
<div class="two" style="margin-top: 14px">
    <section class="sheet pad">
        <div style="display: flex"><h2>Every record must</h2><a class="small" style="margin-left: auto" href="/feeds/{{ $enc }}/checks">Checks</a></div>
        @foreach ($sheet->checks as $check)
            <div class="must"><span>{{ $check['sentence'] }} <span class="faded">— else {{ $check['outcome'] }}{{ $check['limit'] ? "; {$check['limit']}" : '' }}</span>@if ($check['error'])<br><span class="wrong">{{ $check['error'] }}</span>@endif</span><span @class(['num', 'faded' => ! $check['failed'], 'warn' => $check['failed']])>{{ $check['failed'] }} of {{ $n }} fail</span></div>
        @endforeach
        @if ($sheet->checks === [])<p class="faded small">Nothing is checked yet. <a href="/feeds/{{ $enc }}/checks">Add a check</a></p>@endif
        <div class="must"><span>be treatable <span class="faded">— else {{ $treatment->failing?->words() ?? 'not stated yet' }}{{ $treatment->limit ? "; {$treatment->limit->words()}" : '' }}</span></span><span @class(['num', 'faded' => ! $sheet->failing, 'warn' => $sheet->failing])>{{ $sheet->failing }} of {{ $n }} fail</span></div>
    </section>
    <section class="sheet pad">
        <h2>Statement on save</h2>
        @if (! $draft)<p class="faded small">Nothing is changed, so nothing will run.</p>
        @elseif ($preparation)
            @if ($preparation->obstacles())
                @foreach ($preparation->obstacles() as $o)<div class="finding"><span class="result r-failed">in the way</span><span>{{ $o->said }} <span class="remedy"><code>{{ $o->remedy }}</code></span></span></div>@endforeach
            @endif
            @if ($preparation->exists && $preparation->statements)<pre class="sql" tabindex="0">{{ implode("\n", $preparation->statements) }}</pre>
            @elseif (! $preparation->exists)<p class="faded small">Nothing: {{ count($edited->whole->forks) > 0 ? 'the tables do not exist yet, and are' : 'the table does not exist yet, and is' }} made when the feed first lands.</p>
            @elseif (! $preparation->obstacles())<p class="faded small">Nothing: {{ $edited->lands() }} takes the new rows as it is.</p>@endif
        @else<p class="faded small">Known once the sheet can be saved.</p>@endif
    </section>
</div>
