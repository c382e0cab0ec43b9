@extends('layout')
@section('heading', 'Time zone and colours')
@section('content')
<div class="title"><h1>Time zone and colours</h1></div>
<form method="post" action="/me" class="sheet pad" style="max-width: 460px">@csrf
    <div class="field"><label for="zone">Show times in</label><input class="input" id="zone" name="zone" list="zones" value="{{ old('zone', App\Support\Say::zone()) }}"><datalist id="zones">@foreach ($zones as $z)<option value="{{ $z }}">@endforeach</datalist></div>
    <div class="field"><label for="theme">Colours</label><div class="select"><select id="theme" name="theme">@foreach (['system' => 'as this machine has them', 'light' => 'light', 'dark' => 'dark'] as $v => $word)<option value="{{ $v }}" @selected(request()->cookie('theme', 'system') === $v)>{{ $word }}</option>@endforeach</select></div></div>
    <button class="button primary">Save</button>
</form>
@endsection
