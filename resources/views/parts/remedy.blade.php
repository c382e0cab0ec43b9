@php $way = App\Support\Way::to($remedy, $feed ?? null, $log ?? null); @endphp
{{ $remedy->said }}@if ($way && $way->path !== ($here ?? null)) <a href="{{ $way->path }}">{{ $way->words }}</a>@endif
