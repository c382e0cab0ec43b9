@props(['is', 'word' => null])
@php $slug = str_replace(' ', '-', $is); @endphp
<span {{ $attributes->class(["state s-$slug"]) }}><svg aria-hidden="true"><use href="#m-{{ $slug }}"/></svg>{{ $word ?? $is }}</span>
