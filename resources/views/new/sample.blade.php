<h2>{{ $table }}</h2>
@if ($trouble)<div class="note trouble"><p class="strong">{{ $trouble->getMessage() }}</p><p>@include('parts.remedy', ['remedy' => $trouble->remedy()])</p></div>
@elseif ($rows === [])<div class="empty"><p>The table holds no row.</p></div>
@else
<p class="faded small">@if (str_starts_with($table, 'files.'))The first {{ count($rows) }} rows of the newest file, as its types were found.@else The {{ count($rows) }} rows with the greatest keys, as the source renders them.@endif</p>
@include('parts.values', ['rows' => $rows])
@endif
