@php use Lighterman\Core\Treatment\Expression\Library; @endphp
<table class="functions">
@foreach (Library::functions() as $f)<tr title="{{ $f->example }}"><td class="mono">{{ $f->signature() }}</td><td>{{ $f->says }}</td></tr>@endforeach
@foreach (Library::BUILT_IN as [$signature, $says, $example])<tr title="{{ $example }}"><td class="mono">{{ $signature }}</td><td>{{ $says }}</td></tr>@endforeach
<tr><td class="mono">+ - * / % ~</td><td>arithmetic; ~ joins texts</td></tr>
<tr><td class="mono">== != &lt; &lt;= &gt; &gt;= in matches contains</td><td>comparing; <span class="mono">in [1, 2]</span>, <span class="mono">matches '^A'</span></td></tr>
<tr><td class="mono">and or not, a ? b : c, a ?? b</td><td>conditions; what to take if null</td></tr>
</table>
