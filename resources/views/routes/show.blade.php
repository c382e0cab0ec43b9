@extends('layout')
@section('heading', $route->name)
@section('content')
<div id="route" x-data="live" data-part="{{ request()->fullUrl() }}">@include('routes.part')</div>
@endsection
