@extends('layout')
@section('heading', "Columns of {$feed->name}")
@section('content')
@include('feeds.head', ['tab' => 'Columns'])
<div class="sheet table-box" tabindex="0" role="region" aria-label="Columns">
    <table class="rows" x-data="rows">
        <caption class="hidden-text">Columns at the source and as landed</caption>
        <thead><tr><th></th><th>At the source</th><th>Type</th><th>May be null</th><th>Comment</th><th>Landed as</th><th>Type</th></tr></thead>
        <tbody>
        @foreach ($definition->shape->columns as $column)
            @php $out = in_array($column->name, $definition->leaveOut, true); @endphp
            <tr data-text="{{ $column->name }}">
                <td class="strong s-loading">{{ in_array($column->name, $definition->key, true) ? 'key' : ($column->name === $definition->watermark ? 'watermark' : '') }}</td>
                <td class="mono">{{ $column->name }}</td><td class="mono faded">{{ $column->type }}</td><td class="faded">{{ $column->nullable ? 'yes' : 'no' }}</td><td class="faded clip">{{ $column->comment }}{{ $column->generated ? ' (generated)' : '' }}</td>
                <td class="mono">{{ $out ? '—' : $column->name }}</td><td class="mono faded">{{ $out ? 'left out' : ($column->type->kind->value === 'enum' ? 'text' : $column->type) }}</td>
            </tr>
        @endforeach
        @foreach ($definition->stamps() as $what => $name)
            <tr data-text="{{ $name }}"><td class="faded">stamp</td><td></td><td></td><td></td><td class="faded">{{ $what === 'delivered_at' ? 'when the row was delivered' : 'the position its batch led to' }}</td><td class="mono">{{ $name }}</td><td class="mono faded">{{ $what === 'delivered_at' ? 'timestamptz' : 'text' }}</td></tr>
        @endforeach
        </tbody>
    </table>
</div>
@endsection
