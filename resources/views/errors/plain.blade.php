<!doctype html>
<html lang="en-GB">
<head><meta charset="utf-8"><meta name="viewport" content="width=device-width, initial-scale=1">@isset($again)<meta http-equiv="refresh" content="{{ $again }}">@endisset<title>{{ $title }} · Lighterman</title><link rel="icon" href="/icon.svg" type="image/svg+xml"><link rel="stylesheet" href="/build/app.css"></head>
<body>
<header class="top"><a class="wordmark" href="/watch"><x-wordmark />Lighterman</a></header>
<main class="page"><div class="sheet pad centre"><h1 class="strong" style="font-size: 20px">{{ $title }}</h1><p style="margin: 8px 0 14px">{{ $text }}</p><a class="button" href="/watch">To Watch</a></div></main>
</body>
</html>
