@php use App\Support\Say; @endphp
@if ($trouble)<div class="note {{ $trouble instanceof Lighterman\Core\Trouble\SystemTrouble && $trouble->reason === Lighterman\Core\Trouble\Reason::Stopped ? 'caution' : 'trouble' }}" role="alert"><p class="strong">{{ $trouble->getMessage() }}</p><p>@include('parts.remedy', ['remedy' => $trouble->remedy()])</p></div>@endif
@if ($result)
    <p class="faded" style="margin-bottom: 6px" role="status">{{ Say::count(count($result->rows)) }} {{ count($result->rows) === 1 ? 'row' : 'rows' }}{{ $result->cut ? ', cut at the limit; there are more' : '' }} in {{ Say::took($result->seconds) }}@if ($result->files), from {{ Say::count($result->files[0]) }} of {{ Say::files($result->files[1]) }}@endif</p>
    @if ($chart = App\Pages\ResultChart::of($result))@include('landed.chart', ['by' => $result->columns[0]['name']])@endif
    <div class="sheet table-box result-grid" tabindex="0" role="region" aria-label="Result"><table class="rows"><caption class="hidden-text">Result</caption><thead><tr>@foreach ($result->columns as $c)<th class="mono {{ $c['numeric'] ? 'num' : '' }}">{{ $c['name'] }}<span class="of">{{ $c['type'] }}</span></th>@endforeach</tr></thead><tbody>
    @forelse ($result->rows as $row)<tr>@foreach ($row as $i => $v)<td class="mono clip {{ $result->columns[$i]['numeric'] ? 'num' : '' }}" title="{{ $v === null ? 'null' : Illuminate\Support\Str::limit($v, 300) }}">@if ($v === null)<span class="faded">null</span>@else{{ Illuminate\Support\Str::limit($v, 80) }}@endif</td>@endforeach</tr>@empty<tr><td class="faded" colspan="{{ max(1, count($result->columns)) }}">No row.</td></tr>@endforelse
    </tbody></table></div>
@endif
