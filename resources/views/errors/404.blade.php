@include('errors.plain', ['title' => 'Not found', 'text' => 'There is no such page, feed or run. It may have been removed or renamed.'])
