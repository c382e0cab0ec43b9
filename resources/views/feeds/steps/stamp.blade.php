<input type="hidden" name="steps[{{ $i }}][stamp]" value="{{ $step->what }}"><p class="small">{{ $step->sentence() }}</p>
