<!doctype html>
<html lang="en-GB" data-theme="{{ request()->cookie('theme', 'system') }}">
<head>
    <meta charset="utf-8">
    <meta name="viewport" content="width=device-width, initial-scale=1">
    <title>@yield('heading', 'Lighterman') · Lighterman</title>
    <link rel="icon" href="/icon.svg" type="image/svg+xml">
    <link rel="stylesheet" href="/build/app.css?{{ filemtime(public_path('build/app.css')) }}">
    <script src="/build/app.js?{{ filemtime(public_path('build/app.js')) }}" type="module"></script>
</head>
<body x-data="keys">
<x-sprite />
<a class="skip" href="#content">To the content</a>
<header class="top">
    <a class="wordmark" href="/watch"><x-wordmark />Lighterman</a>
    <nav aria-label="Sections" style="display: contents">
        @foreach (['watch' => 'Watch', 'feeds' => 'Feeds', 'systems' => 'Systems', 'landed' => 'Landed', 'decisions' => 'Decisions'] as $path => $word)
            <a href="/{{ $path }}" @if (request()->is($path, "$path/*") || ($path === 'feeds' && request()->is('runs/*'))) aria-current="page" @endif>{{ $word }}@if ($path === 'decisions' && $frame->decisions())<span class="badge">{{ $frame->decisions() }}<span class="hidden-text"> waiting</span></span>@endif</a>
        @endforeach
    </nav>
    <form class="find" action="/find" role="search">
        <label class="hidden-text" for="find">Find a feed, table or column</label>
        <input id="find" name="q" type="search" placeholder="Find a feed, table or column" value="{{ request()->is('find') && is_string(request('q')) ? mb_scrub(request('q')) : '' }}" autocomplete="off"><kbd aria-hidden="true">/</kbd>
    </form>
    <details>
        <summary>{{ auth()->user()->name }} ▾</summary>
        <div class="menu">
            <p>{{ auth()->user()->role === 'engineer' ? 'Engineer: may change things' : 'Viewer: may look' }}<br>Times in {{ App\Support\Say::zone() }}</p>
            <a href="/me">Your settings</a>
            <a href="/audit">Audit trail</a>
            <button type="button" @click="toggle">Keys</button>
            <form method="post" action="/sign-out">@csrf<button>Sign out</button></form>
        </div>
    </details>
</header>
<div class="ruler" id="ruler" x-data="live" data-part="/parts/ruler">@include('parts.ruler')</div>
<main class="page" id="content">
    @if (session('done'))<div class="note good" role="status">{{ session('done') }}</div>@endif
    @if ($errors->any())
        <div class="note trouble" role="alert">@foreach ($errors->all() as $message)<p>{{ $message }}</p>@endforeach</div>
    @endif
    @yield('content')
</main>
<div class="drawer" x-data="drawer" x-cloak x-show="open" role="dialog" aria-label="Detail">
    <div class="bar"><button type="button" class="button push" x-ref="close" @click="close">Close</button></div>
    <div x-ref="body"></div>
</div>
<div class="keys" x-cloak x-show="open" role="dialog" aria-label="Keys">
    <h2>Keys</h2>
    <table>
        <tr><td><kbd>/</kbd></td><td>find</td></tr>
        <tr><td><kbd>↑</kbd> <kbd>↓</kbd></td><td>walk a table</td></tr>
        <tr><td><kbd>Enter</kbd></td><td>open the row</td></tr>
        <tr><td><kbd>Space</kbd></td><td>tick the row</td></tr>
        <tr><td><kbd>Esc</kbd></td><td>close</td></tr>
        <tr><td><kbd>?</kbd></td><td>this list</td></tr>
        @yield('keys')
    </table>
</div>
</body>
</html>
