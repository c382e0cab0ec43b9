@extends('layout')
@section('heading', $feed->name)
@section('content')
<div id="feed" x-data="live" data-part="{{ request()->fullUrl() }}">@include('feeds.now-part')</div>
@endsection
