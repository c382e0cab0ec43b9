@php use App\Support\Say; @endphp
@php $most = max(1, ...array_column($kept->partitions, 'bytes')); @endphp
<section class="sheet table-box"><div class="pad" style="padding-bottom: 0"><h2>{{ $heading }}</h2><p class="small"><b>{{ Say::count($kept->rows) }}</b> rows in <b>{{ Say::count($kept->files) }}</b> {{ $kept->files === 1 ? 'file' : 'files' }}, <b>{{ Say::bytes($kept->bytes) }}</b>, below <span class="mono">{{ $kept->place }}</span></p></div>
    @if (count($kept->partitions) > 1 || ! isset($kept->partitions['']))
    <table class="rows" x-data="rows"><caption class="hidden-text">Partitions</caption><thead><tr><th>Partition</th><th class="num">Files</th><th class="num">Rows</th><th class="num">Size</th><th></th></tr></thead><tbody>
    @foreach ($kept->partitions as $folder => $p)<tr tabindex="0" data-text="{{ $folder }}"><td class="mono clip" title="{{ $folder }}">{{ $folder }}</td><td class="num" data-v="{{ $p['files'] }}">{{ $p['files'] }}</td><td class="num" data-v="{{ $p['rows'] }}">{{ Say::count($p['rows']) }}</td><td class="num" data-v="{{ $p['bytes'] }}">{{ Say::bytes($p['bytes']) }}</td><td><svg width="90" height="12" aria-hidden="true"><rect width="{{ round(90 * $p['bytes'] / $most, 1) }}" height="12" rx="2" fill="var(--deep)"/></svg></td></tr>@endforeach
    </tbody></table>
    @endif
</section>
