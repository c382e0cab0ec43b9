<h2>{{ $table }}</h2>
@if ($trouble)<div class="note trouble"><p class="strong">{{ $trouble->getMessage() }}</p><p>{{ $trouble->remedy() }}</p></div>
@elseif ($rows === [])<div class="empty"><p>The table holds no row.</p></div>
@else
<p class="faded small">The {{ count($rows) }} rows with the greatest keys, as the source renders them.</p>
@include('parts.values', ['rows' => $rows])
@endif
