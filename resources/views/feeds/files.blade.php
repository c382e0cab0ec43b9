@extends('layout')
@php
    use App\Support\Say;
    use Carbon\CarbonImmutable;
    $enc = rawurlencode($feed->name);
    $at = fn (string $t) => CarbonImmutable::parse($t);
@endphp
@section('heading', "Files of {$feed->name}")
@section('content')
@include('feeds.head', ['tab' => 'Files'])
@if ($trouble)<div class="note trouble" role="alert"><p class="strong">{{ $trouble->getMessage() }}</p><p>@include('parts.remedy', ['remedy' => $trouble->remedy()])</p></div>@endif
@if ($over !== [])<details class="note caution"><summary>{{ Say::files(count($over)) }} in these folders {{ count($over) === 1 ? 'is' : 'are' }} never read. Have {{ count($over) === 1 ? 'it' : 'them' }} written as files of their own, under names of plain letters.</summary><ul>@foreach ($over as $name => $why)<li><span class="mono">{{ $name }}</span>: {{ $why }}</li>@endforeach</ul></details>@endif
@if ($definition->kind()->readsWhole())<p class="faded">This feed reads all files that fit <span class="mono">{{ $definition->origin->table->name }}</span> every time; none is taken once and for all.</p>@else
<div class="figures">
    <div class="figure"><b>{{ Say::count((int) $sums->files) }}</b><span>files taken</span></div>
    <div class="figure"><b>{{ Say::bytes((int) $sums->size) }}</b><span>in them</span></div>
    <div class="figure"><b>{{ Say::count((int) $sums->rows) }}</b><span>rows of them</span></div>
    <div class="figure"><b>{{ Say::count((int) $sums->set_aside) }}</b><span>set aside as they were read</span></div>
    <div class="figure"><b>{{ Say::count(count($waiting) + $more) }}</b><span>wait to be taken</span></div>
    <div class="figure"><b>{{ Say::count(count($growing)) }}</b><span>still being written</span></div>
</div>
@if ($waiting !== [] || $growing !== [])
<section class="sheet table-box" style="margin-bottom: 14px"><table class="rows"><caption>Not taken yet</caption><thead><tr><th>File</th><th class="num">Size</th><th>Written</th><th>What becomes of it</th></tr></thead><tbody>
@foreach ($waiting as $f)<tr><td class="mono clip" title="{{ $f->path }}">{{ $f->path }}</td><td class="num" title="{{ Say::count($f->size) }} bytes">{{ Say::bytes($f->size) }}</td><td title="{{ Say::exactly($at($f->modified)) }}">{{ Say::at($at($f->modified)) }}</td><td>{{ isset($refused[$f->path]) ? "set aside: {$refused[$f->path]}" : 'taken with the next run' }}</td></tr>@endforeach
@foreach (array_slice($growing, 0, 100) as $f)<tr><td class="mono clip" title="{{ $f->path }}">{{ $f->path }}</td><td class="num" title="{{ Say::count($f->size) }} bytes">{{ Say::bytes($f->size) }}</td><td title="{{ Say::exactly($at($f->modified)) }}">{{ Say::at($at($f->modified)) }}</td><td>left until {{ $at($f->modified)->isFuture() ? 'it has stayed the same' : 'nobody has written to it' }} for {{ $definition->origin->files->quiet }} s{{ $at($f->modified)->isFuture() ? '; its time is ahead of the clock' : '' }}</td></tr>@endforeach
@if ($more)<tr><td colspan="4" class="faded">and {{ Say::count($more) }} more</td></tr>@endif
</tbody></table></section>
@endif
<form class="bar" method="get"><label for="holds">Taken files whose path holds</label><input class="input mono" id="holds" name="holds" value="{{ $holds }}"><button class="button">Show</button><span class="push faded">{{ Say::files($count) }} that fit <span class="mono">{{ $definition->origin->table->name }}</span></span></form>
@if ($files->isEmpty())
<div class="sheet empty"><p><strong>{{ $holds === '' ? 'No file is taken yet.' : 'No taken file has that in its path.' }}</strong></p>@if ($holds === '')<p>Files that fit <span class="mono">{{ $definition->origin->table->name }}</span> are taken with the next run, once nobody has written to them for {{ $definition->origin->files->quiet }} s.</p>@endif</div>
@else
<section class="sheet table-box"><table class="rows" x-data="rows"><caption class="hidden-text">Taken files</caption><thead><tr><th>File</th><th class="num">Size</th><th>Written</th><th>Taken</th><th class="num">Rows</th><th class="num">Set aside</th><th class="num">Receipt</th></tr></thead><tbody>
@foreach ($files as $f)
<tr tabindex="0" data-text="{{ $f->path }}"><td class="mono clip" title="{{ $f->path }}">{{ $f->path }}</td><td class="num" title="{{ Say::count($f->size) }} bytes{{ $f->checksum ? ", checksum {$f->checksum}" : '' }}">{{ Say::bytes($f->size) }}</td><td title="{{ Say::exactly($at($f->modified)) }}">{{ Say::at($at($f->modified)) }}</td><td title="{{ Say::exactly($f->landed_at) }}">{{ Say::at($f->landed_at) }}</td><td class="num {{ $f->rows ? '' : 'faded' }}">{{ Say::count($f->rows) }}</td><td class="num">@if ($f->set_aside)<a href="/feeds/{{ $enc }}/set-aside?holds={{ rawurlencode($f->path) }}">{{ $f->rows === 0 && $f->set_aside === 1 ? '1' : Say::count($f->set_aside) }}</a>@else<span class="faded">0</span>@endif</td><td class="num mono faded">#{{ $f->sequence }}</td></tr>
@endforeach
</tbody></table></section>
@if ($pages > 1)@include('parts.pages')@endif
@endif
@endif
@endsection
