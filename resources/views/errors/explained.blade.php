@extends('layout')
@section('heading', 'That did not work')
@section('content')
<div class="title"><h1>That did not work</h1></div>
<div class="note trouble" role="alert"><p class="strong">{{ $trouble->getMessage() }}</p><p>@include('parts.remedy', ['remedy' => $trouble->remedy()])</p></div>
<p><a class="button" href="{{ url()->previous('/watch') }}">Back</a></p>
@endsection
