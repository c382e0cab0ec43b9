@if ($line->trouble)
    <div class="r-failed"><b>{{ $line->trouble->getMessage() }}</b> @include('parts.remedy', ['remedy' => $line->trouble->remedy()])</div>
@endif
@foreach ($line->guarantee?->claims ?? [] as $claim)<span class="chip r-{{ str_replace(' ', '-', $claim->strength) }}" title="{{ $claim->reason }}">{{ $claim->headline }}</span> @endforeach
@if ($line->watermarkVerdict && $line->watermarkVerdict->result !== 'fine')<div class="r-{{ $line->watermarkVerdict->result }}">{{ implode(' ', $line->watermarkVerdict->reasons) }}</div>@endif
@if ($line->keyVerdict && $line->keyVerdict->result !== 'fine' && ! $line->trouble)<div class="r-{{ $line->keyVerdict->result }}">{{ implode(' ', $line->keyVerdict->reasons) }}</div>@endif
@if (! $line->trouble && $line->reasons && $line->reasons !== $line->watermarkVerdict?->reasons)<div class="faded">Suggested: {{ implode(' ', $line->reasons) }}</div>@endif
@foreach ($line->logFindings as $finding)<div class="r-{{ $finding->result }}">{{ $finding->said }} <span class="remedy">Remedy: <code>{{ $finding->remedy }}</code></span></div>@endforeach
