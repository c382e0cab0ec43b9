@include('errors.plain', ['title' => 'Too many tries', 'text' => 'Wait a minute, then try again.'])
