@php use App\Support\Say; @endphp
@php $most = max(1, ...array_column($kept->partitions, 'bytes')); @endphp
<section class="sheet table-box"><div class="pad" style="padding-bottom: {{ count($kept->partitions) > 1 || ! isset($kept->partitions['']) ? '0' : '14px' }}"><h2>{{ $heading }}</h2><p class="small"><b>{{ Say::count($kept->rows) }}</b> rows in <b>{{ Say::files($kept->files) }}</b>, <b>{{ Say::bytes($kept->bytes) }}</b>, below <span class="mono">{{ $kept->place }}</span></p>
    @if (isset($feed) && ($kept->small || $feed->join_asked))
    <div class="bar small" style="margin: 8px 0">
        @if ($feed->join_asked)<span role="status">Joining small files is asked for; whoever carries the feed does it next.</span>
        @else<span><b>{{ Say::count($kept->small) }}</b> of them are small and could be one in their partition.</span>
        @can('change')<form method="post" action="/feeds/act">@csrf<input type="hidden" name="feeds[]" value="{{ $feed->name }}"><button class="button" name="act" value="joinFiles" title="Rows stay as they are; who is reading is not disturbed">Join small files</button></form>@endcan
        @endif
    </div>
    @endif</div>
    @if (count($kept->partitions) > 1 || ! isset($kept->partitions['']))
    <table class="rows" x-data="rows"><caption class="hidden-text">Partitions</caption><thead><tr><th>Partition</th><th class="num">Files</th><th class="num">Rows</th><th class="num">Size</th><th></th></tr></thead><tbody>
    @foreach ($kept->partitions as $folder => $p)<tr tabindex="0" data-text="{{ $folder }}"><td class="mono clip" title="{{ $folder }}">{{ $folder }}</td><td class="num" data-v="{{ $p['files'] }}">{{ $p['files'] }}</td><td class="num" data-v="{{ $p['rows'] }}">{{ Say::count($p['rows']) }}</td><td class="num" data-v="{{ $p['bytes'] }}">{{ Say::bytes($p['bytes']) }}</td><td><svg width="90" height="12" aria-hidden="true"><rect width="{{ round(90 * $p['bytes'] / $most, 1) }}" height="12" rx="2" fill="var(--deep)"/></svg></td></tr>@endforeach
    </tbody></table>
    @endif
</section>
