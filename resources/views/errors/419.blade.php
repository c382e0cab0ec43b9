@include('errors.plain', ['title' => 'The page was open too long', 'text' => 'Go back, reload the page and try again.'])
