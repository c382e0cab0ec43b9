@if ($edited->fork !== null)<input type="hidden" name="fork" value="{{ $edited->forkName() }}">@endif
