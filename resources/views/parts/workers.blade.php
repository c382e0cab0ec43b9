@php $frame = app(App\Pages\Frame::class); @endphp
@if (($idle = $frame->withoutWorkers()) !== null)
    <div class="note trouble" role="alert"><p class="strong">{{ $idle }}</p><p>Nothing is carried meanwhile; every feed goes on from where it stands. Start one with <code>bin/lighterman work</code>, or all that belongs to it with <code>bin/up</code>.</p></div>
@endif
