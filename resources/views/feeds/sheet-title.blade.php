@php
    $unmasked = count($sheet->unmasked());
    $enc = rawurlencode($feed->name);
    $newest = $feed->definition->version;
@endphp
<div class="bar sheet-title">
    <span class="faded">{{ count($edited->carried->columns) }} columns in, {{ $sheet->landed() }} out</span>
    @if ($unmasked)<span class="warn">· {{ $unmasked }} {{ $unmasked === 1 ? 'looks personal and is' : 'look personal and are' }} not masked</span>
        @can('change')<form method="post" action="/feeds/{{ $enc }}/columns/act">@csrf<input type="hidden" name="seen" value="{{ $seen }}"> @include('feeds.fork-field')<button class="button plain" name="act" value="mask_found">Mask {{ $unmasked === 1 ? 'it' : 'them' }}</button></form>@endcan
    @endif
    @if ($sheet->isFlawless() && ($revealing = $sheet->rowsOf->revealing()))<span class="warn">· <span class="mono">{{ implode(', ', $revealing) }}</span> {{ count($revealing) === 1 ? 'lands' : 'land' }} in clear, computed from what a mask hides</span>@endif
    @if ($treatment->explode)<span>· {{ $treatment->explode->sentence() }}</span>@can('change')<form method="post" action="/feeds/{{ $enc }}/columns/act">@csrf<input type="hidden" name="seen" value="{{ $seen }}"><button class="button plain" name="act" value="explode_no_more">No more</button></form>@endcan @endif
    <span class="push">version {{ $newest }}@if ($draft) → <b>{{ $newest + 1 }}, not saved</b>@endif</span>
    @can('change')
    @if ($draft)
        <form method="post" action="/feeds/{{ $enc }}/columns/act" class="inline">@csrf<input type="hidden" name="seen" value="{{ $seen }}"><button class="button plain" name="act" value="discard">Discard</button></form>
    @endif
    <a class="button" href="/feeds/{{ $enc }}/rehearse">Rehearse</a>
    @if ($draft)
        <form method="post" action="/feeds/{{ $enc }}/columns/act" class="inline">@csrf<input type="hidden" name="seen" value="{{ $seen }}"><button class="button primary" name="act" value="save" @disabled($invalid || $preparation?->obstacles())>Save version {{ $newest + 1 }}</button></form>
    @endif
    @endcan
</div>
@if ($invalid)<div class="note caution" role="status"><p class="strong">It cannot be saved yet: {{ $invalid->getMessage() }}</p>
    @if ($treatment->failing === null)<form method="post" action="/feeds/{{ $enc }}/checks" class="bar" style="margin: 6px 0 0">@csrf<input type="hidden" name="seen" value="{{ $seen }}"><input type="hidden" name="act" value="outcome"><span>A record that cannot be treated is to be</span>@foreach (['set_aside' => 'set aside', 'drop' => 'dropped', 'stop' => 'reason to stop the feed'] as $outcome => $word)<button class="button" name="failing" value="{{ $outcome }}">{{ $word }}</button>@endforeach</form>
    @elseif ($edited->whole->forks && $edited->whole->otherwise === null)<form method="post" action="/feeds/{{ $enc }}/forks" class="bar" style="margin: 6px 0 0">@csrf<input type="hidden" name="seen" value="{{ $seen }}"><input type="hidden" name="act" value="otherwise"><span>A record that takes no fork</span>@foreach (Lighterman\Core\Treatment\Otherwise::cases() as $o)<button class="button" name="otherwise" value="{{ $o->value }}">{{ $o->words() }}</button>@endforeach</form>
    @else<p>@include('parts.remedy', ['remedy' => $invalid->remedy()])</p>@endif</div>@endif
@if ($trouble)<div class="note caution" role="alert"><p class="strong">{{ $trouble->getMessage() }}</p><p>@include('parts.remedy', ['remedy' => $trouble->remedy()]) Without rows the sheet shows no values.</p></div>@endif
