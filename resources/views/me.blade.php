@extends('layout')
@section('heading', 'You')
@section('content')
<div class="title"><h1>{{ auth()->user()->name }}</h1></div>
<form method="post" action="/me" class="sheet pad" style="max-width: 460px">@csrf
    <div class="field"><label for="zone">Show times in</label><input class="input" id="zone" name="zone" list="zones" value="{{ old('zone', App\Support\Say::zone()) }}"><datalist id="zones">@foreach ($zones as $z)<option value="{{ $z }}">@endforeach</datalist></div>
    <div class="field"><label for="theme">Colours</label><div class="select"><select id="theme" name="theme">@foreach (['system' => 'as this machine has them', 'light' => 'light', 'dark' => 'dark'] as $v => $word)<option value="{{ $v }}" @selected(request()->cookie('theme', 'system') === $v)>{{ $word }}</option>@endforeach</select></div></div>
    <button class="button primary">Save</button>
</form>
<form method="post" action="/me/password" class="sheet pad" style="max-width: 460px; margin-top: 14px" autocomplete="off">@csrf
    <h2>Password</h2>
    @foreach (['current' => ['Present password', 'current-password'], 'password' => ['New password', 'new-password'], 'again' => ['The new one again', 'new-password']] as $field => [$label, $kind])
    <div class="field"><label for="{{ $field }}">{{ $label }}</label><input class="input" id="{{ $field }}" name="{{ $field }}" type="password" required maxlength="200" autocomplete="{{ $kind }}">@error($field)<p class="hint r-failed">{{ $message }}</p>@enderror</div>
    @endforeach
    <button class="button">Change the password</button><p class="faded small" style="margin-top: 6px">At least 12 characters. Wherever else you are signed in, that ends.</p>
</form>
@endsection
