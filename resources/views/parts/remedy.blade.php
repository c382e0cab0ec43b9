@php $way = App\Support\Way::to($remedy, $feed ?? null, $log ?? null); @endphp
{{ $remedy->said }}@if ($way) <a href="{{ $way->path }}">{{ $way->words }}</a>@endif
