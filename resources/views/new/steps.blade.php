<ol class="steps">@foreach (['Tables', 'Grid', 'Rehearsal', 'Start'] as $i => $step)<li @if ($at === $step) aria-current="step" @endif>{{ $i + 1 }}. {{ $step }}</li>@endforeach</ol>
