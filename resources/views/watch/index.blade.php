@extends('layout')
@section('heading', 'Watch')
@section('content')
<div id="lanes" x-data="live" data-part="{{ request()->fullUrl() }}">@include('watch.part')</div>
@endsection
