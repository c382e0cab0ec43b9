<div class="table-box" tabindex="0" role="region" aria-label="Rows"><table class="rows">
    <thead><tr>@foreach (array_keys($rows[0]) as $column)<th class="mono">{{ $column }}</th>@endforeach</tr></thead>
    <tbody>@foreach ($rows as $row)<tr>@foreach ($row as $value)<td class="mono clip" title="{{ $value === null ? 'null' : Illuminate\Support\Str::limit($value, 300) }}">@if ($value === null)<span class="faded">null</span>@else{{ Illuminate\Support\Str::limit($value, 60) }}@endif</td>@endforeach</tr>@endforeach</tbody>
</table></div>
