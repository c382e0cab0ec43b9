<!doctype html>
<html lang="en-GB" data-theme="{{ request()->cookie('theme', 'system') }}">
<head>
    <meta charset="utf-8">
    <meta name="viewport" content="width=device-width, initial-scale=1">
    <title>Sign in · Lighterman</title>
    <link rel="icon" href="/icon.svg" type="image/svg+xml">
    <link rel="stylesheet" href="/build/app.css?{{ filemtime(public_path('build/app.css')) }}">
</head>
<body>
<header class="top"><span class="wordmark" style="display: flex; gap: 9px; align-items: center"><x-wordmark />Lighterman</span></header>
<main class="page">
    <div class="sheet pad centre">
        <h1 class="strong" style="font-size: 20px; margin-bottom: 10px">Sign in</h1>
        @error('name')<div class="note trouble" role="alert">{{ $message }}</div>@enderror
        <form method="post" action="/sign-in">
            @csrf
            <div class="field"><label for="name">Name</label><input class="input" id="name" name="name" value="{{ old('name') }}" autocomplete="username" autofocus required maxlength="60"></div>
            <div class="field"><label for="password">Password</label><input class="input" id="password" name="password" type="password" autocomplete="current-password" required></div>
            <button class="button primary">Sign in</button>
        </form>
    </div>
</main>
</body>
</html>
