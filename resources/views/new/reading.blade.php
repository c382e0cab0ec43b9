@php
    use App\Support\Say;
    use Lighterman\Core\Format\Delimited\Dialect;
    use Lighterman\Core\Format\FileFormat;
    use Lighterman\Core\Format\Guess;
    $f = $line->files;
    $r = $f->reading;
    $d = $r->dialect;
    $marks = [';' => 'semicolon  ;', ',' => 'comma  ,', "\t" => 'tab', '|' => 'upright line  |'];
    $written = json_decode($t['dates'] ?? '', true) ?: [];
    $chosen = json_decode($t['types'] ?? '', true) ?: [];
    $select = fn (string $field) => "lines[{$n}][{$field}]";
    $said = fn (string $field) => $t[$field] ?? '';
    $fields = $d === null ? [] : [
        'delimiter' => ['Fields are parted by', strtok($marks[$d->delimiter] ?? $d->delimiter, ' '), [';' => $marks[';'], ',' => $marks[','], 'tab' => 'tab', '|' => $marks['|']], $f->evidence['delimiter'] ?? ''],
        'decimal' => ['Decimal mark', $d->decimal === ',' ? 'comma' : 'point', ['.' => 'point', ',' => 'comma'], $f->evidence['decimal'] ?? ''],
        'header' => ['The first line', $d->header ? 'names the columns' : 'is a row', ['yes' => 'names the columns', 'no' => 'is a row'], $f->evidence['header'] ?? ''],
        'encoding' => ['Encoding', $d->encoding, array_combine(Dialect::ENCODINGS, Dialect::ENCODINGS), $f->evidence['encoding'] ?? ''],
        'quote' => ['Quotes', $d->quote ?? 'none', ['"' => '"', "'" => "'", 'none' => 'none'], 'around fields that hold delimiters or line breaks'],
    ];
@endphp
<tr class="reading" data-reading><td></td><td colspan="11">
<details class="fold" @if (count($lines) <= 3) open @endif>
    <summary><b>How the files are read</b> <span class="faded">{{ $r->format->word() }}@if ($d) · {{ strtok($marks[$d->delimiter] ?? $d->delimiter, ' ') }} · decimal {{ $d->decimal === ',' ? 'comma' : 'point' }} · {{ $d->encoding }} · {{ $d->header ? 'first line names the columns' : 'no line of names' }}@endif · {{ Say::files($f->files->files) }}, {{ Say::bytes($f->files->bytes) }}; found out from <span class="mono">{{ $f->files->newest->path }}</span></span></summary>
    <div class="form-grid" style="margin-top: 6px">
        <div class="field"><label for="format-{{ $n }}">Format</label><div class="select"><select id="format-{{ $n }}" name="{{ $select('format') }}"><option value="">{{ $r->format->word() }}, as found</option>@foreach (FileFormat::cases() as $c)<option value="{{ $c->value }}" @selected($said('format') === $c->value)>{{ $c->word() }}</option>@endforeach</select></div><p class="hint">{{ $f->evidence['format'] }}</p></div>
        @foreach ($fields as $field => [$label, $now, $options, $why])
        <div class="field"><label for="{{ $field }}-{{ $n }}">{{ $label }}</label><div class="select"><select id="{{ $field }}-{{ $n }}" name="{{ $select($field) }}"><option value="">{{ $said($field) === '' ? $now.', as found' : 'as found' }}</option>@foreach ($options as $value => $word)<option value="{{ $value }}" @selected($said($field) === (string) $value)>{{ $word }}</option>@endforeach</select></div><p class="hint">{{ $why }}</p></div>
        @endforeach
        @if ($d)<div class="field"><label for="null-{{ $n }}">Null is written</label><input class="input mono" id="null-{{ $n }}" name="{{ $select('null_text') }}" value="{{ $said('null_text') }}" placeholder="as nothing"><p class="hint">an empty field otherwise</p></div>@endif
        <div class="field"><label for="changed-{{ $n }}">A taken file that changes</label><div class="select"><select id="changed-{{ $n }}" name="{{ $select('changed') }}"><option value="">{{ $line->definition?->origin->files && $said('changed') === '' ? $line->definition->origin->files->changed->word().', by the landing' : 'by the landing' }}</option>@foreach (Lighterman\Core\Capture\ChangedFile::cases() as $c)<option value="{{ $c->value }}" @selected($said('changed') === $c->value)>{{ $c->word() }}</option>@endforeach</select></div><p class="hint">told by size and time</p></div>
        <div class="field"><label for="checksum-{{ $n }}">Checksum</label><div class="select"><select id="checksum-{{ $n }}" name="{{ $select('checksum') }}"><option value="">not taken</option><option value="yes" @selected($said('checksum') === 'yes')>taken</option></select></div><p class="hint">a file with another time counts as changed only if its bytes are others</p></div>
        <div class="field"><label for="quiet-{{ $n }}">Quiet before it is taken, s</label><input class="input" id="quiet-{{ $n }}" name="{{ $select('quiet') }}" value="{{ $said('quiet') }}" placeholder="{{ $r->quiet }}" inputmode="numeric"><p class="hint">seconds in which nobody wrote to it</p></div>
        <div class="field"><label for="fit-{{ $n }}">A file with other columns</label><div class="select"><select id="fit-{{ $n }}" name="{{ $select('fit') }}"><option value="">is set aside</option><option value="yes" @selected($said('fit') === 'yes')>is made to fit</option></select></div><p class="hint">made to fit, what it lacks is null and what it has besides is left out</p></div>
    </div>
    <div class="table-box" tabindex="0" role="region" aria-label="Columns of {{ $t['table'] }}"><table class="rows"><caption class="hidden-text">Columns</caption><thead><tr><th>Column</th><th>Type</th><th>Found</th><th>Values</th></tr></thead><tbody>
    @foreach (array_values($f->columns) as $i => $why)
        @php $name = array_keys($f->columns)[$i]; @endphp
        <tr><td class="mono">{{ $name }}<input type="hidden" name="lines[{{ $n }}][columns][{{ $i }}]" value="{{ $name }}"><input type="hidden" name="lines[{{ $n }}][found][{{ $i }}]" value="{{ $f->found[$name] }}"></td>
        <td class="type"><input class="input mono" list="types" name="lines[{{ $n }}][types][{{ $i }}]" value="{{ $chosen[$name] ?? $f->found[$name] }}" aria-label="Type of {{ $name }}"></td>
        <td>{{ $why }}@if (isset($r->dates[$name]) || str_contains($why, Guess::UNTOLD))<div style="margin-top: 4px"><div class="select"><select name="lines[{{ $n }}][dates][{{ $i }}]" aria-label="How dates of {{ $name }} are written"><option value="">{{ isset($written[$name]) || ! isset($r->dates[$name]) ? 'as found' : $r->dates[$name].', as found' }}</option>@foreach (['MM/dd/yyyy' => 'month first', 'dd/MM/yyyy' => 'day first', 'dd.MM.yyyy' => '', 'yyyyMMdd' => ''] as $form => $first)<option value="{{ $form }}" @selected(($written[$name] ?? '') === $form)>{{ $form }}{{ $first === '' ? '' : ", {$first}" }}</option>@endforeach</select></div></div>@endif</td><td class="mono clip">{{ Illuminate\Support\Str::limit(implode('  ·  ', array_map(fn ($v) => $v === null ? 'null' : Illuminate\Support\Str::limit($v, 24), $f->samples[$name] ?? [])), 90) }}</td></tr>
    @endforeach
    </tbody></table></div>
    <div class="bar" style="margin: 8px 0 0"><span class="faded small">With each row land the file it comes from, <span class="mono">{{ $r->own->file }}</span>, and its {{ $r->format->isText() ? 'line' : 'row' }} there, <span class="mono">{{ $r->own->line }}</span>; leave them out if you do not want them.</span><button class="button push" formaction="/feeds/new/grid">Look again with this</button></div>
</details>
</td></tr>
