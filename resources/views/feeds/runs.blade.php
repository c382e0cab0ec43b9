@extends('layout')
@section('heading', "Runs of {$feed->name}")
@section('content')
@include('feeds.head', ['tab' => 'Runs'])
<div class="sheet table-box">@include('feeds.run-rows')@include('parts.pages')</div>
@endsection
