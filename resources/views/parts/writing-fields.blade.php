@php
    use Lighterman\Core\Landing\FileWriting;
    use Lighterman\Core\Format\Delimited\Dialect;
    use Lighterman\Core\Format\FileFormat;
    $plain = new FileWriting;
    // Names and ids are those of one line of the grid, or plain.
    $name = fn (string $field) => isset($n) ? "lines[{$n}][{$field}]" : $field;
    $id = fn (string $field) => $field.(isset($n) ? "-{$n}" : '');
    $is = fn (string $field) => (string) ($typed[$field] ?? '');
    $packed = array_unique(array_merge(...array_values(FileWriting::PACKED)));
@endphp
<div class="form-grid" data-writing>
    <div class="field"><label for="{{ $id('as_format') }}">Format</label><div class="select"><select id="{{ $id('as_format') }}" name="{{ $name('as_format') }}" data-field="as_format">@foreach ([FileFormat::Parquet, FileFormat::Avro, FileFormat::JsonLines, FileFormat::Delimited] as $f)<option value="{{ $f->value }}" @selected(($is('as_format') ?: 'parquet') === $f->value)>{{ $f->word() }}</option>@endforeach</select></div><p class="hint">Parquet is the smallest, and the quickest to query</p></div>
    <div class="field"><label for="{{ $id('as_packed') }}">Packed with</label><div class="select"><select id="{{ $id('as_packed') }}" name="{{ $name('as_packed') }}" data-field="as_packed"><option value="">what is usual</option>@foreach ($packed as $p)<option @selected($is('as_packed') === $p)>{{ $p }}</option>@endforeach</select></div><p class="hint">Parquet zstd, snappy, none; Avro deflate, none; text none, gzip</p></div>
    <div class="field"><label for="{{ $id('as_rows') }}">Rows of a file at most</label><input class="input num" id="{{ $id('as_rows') }}" name="{{ $name('as_rows') }}" value="{{ $is('as_rows') }}" placeholder="{{ number_format($plain->rows) }}" inputmode="numeric"><p class="hint">a delivery ends there too</p></div>
    <div class="field"><label for="{{ $id('as_megabytes') }}">or MB of them as text</label><input class="input num" id="{{ $id('as_megabytes') }}" name="{{ $name('as_megabytes') }}" value="{{ $is('as_megabytes') }}" placeholder="{{ $plain->megabytes }}" inputmode="numeric"></div>
    <div class="field"><label for="{{ $id('as_seconds') }}">Seconds of a delivery at most</label><input class="input num" id="{{ $id('as_seconds') }}" name="{{ $name('as_seconds') }}" value="{{ $is('as_seconds') }}" placeholder="{{ $plain->seconds }}" inputmode="numeric"><p class="hint">longer makes fewer files, and later rows</p></div>
    <div class="field for-parquet"><label for="{{ $id('as_group_rows') }}">Rows of a row group</label><input class="input num" id="{{ $id('as_group_rows') }}" name="{{ $name('as_group_rows') }}" value="{{ $is('as_group_rows') }}" placeholder="{{ number_format($plain->groupRows) }}" inputmode="numeric"></div>
    <div class="field for-delimited"><label for="{{ $id('as_delimiter') }}">Fields are parted by</label><div class="select"><select id="{{ $id('as_delimiter') }}" name="{{ $name('as_delimiter') }}">@foreach ([',' => '', ';' => ';', "\t" => 'tab', '|' => '|'] as $mark => $value)<option value="{{ $value }}" @selected($is('as_delimiter') === $value)>{{ Dialect::DELIMITERS[$mark] }}</option>@endforeach</select></div></div>
    <div class="field for-delimited"><label for="{{ $id('as_decimal') }}">Decimal mark</label><div class="select"><select id="{{ $id('as_decimal') }}" name="{{ $name('as_decimal') }}"><option value="">point</option><option value="," @selected($is('as_decimal') === ',')>comma</option></select></div></div>
    <div class="field for-delimited"><label for="{{ $id('as_null') }}">Null is written</label><input class="input mono" id="{{ $id('as_null') }}" name="{{ $name('as_null') }}" value="{{ $is('as_null') }}" placeholder="as nothing"><p class="hint">an empty text is quoted</p></div>
    <div class="field for-delimited"><label for="{{ $id('as_header') }}">The first line</label><div class="select"><select id="{{ $id('as_header') }}" name="{{ $name('as_header') }}"><option value="">names the columns</option><option value="no" @selected($is('as_header') === 'no')>is a row</option></select></div></div>
    <div class="field"><label for="{{ $id('as_fixed_name') }}">One fixed file name</label><input class="input mono" id="{{ $id('as_fixed_name') }}" name="{{ $name('as_fixed_name') }}" value="{{ $is('as_fixed_name') }}" placeholder="none: unique names"><p class="hint">Unique names add to what is there. Under one fixed name every delivery writes all rows of its partitions anew, so it costs more the longer the table grows.</p></div>
</div>
