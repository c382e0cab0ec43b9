@if ($pages > 1)
<nav class="pages" aria-label="Pages">
    @if ($page > 1)<a href="{{ request()->fullUrlWithQuery(['page' => $page - 1]) }}" rel="prev">Earlier page</a>@endif
    <span>page {{ $page }} of {{ $pages }}</span>
    @if ($page < $pages)<a href="{{ request()->fullUrlWithQuery(['page' => $page + 1]) }}" rel="next">Next page</a>@endif
</nav>
@endif
