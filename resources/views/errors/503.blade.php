@include('errors.plain', ['title' => 'Not ready', 'text' => 'Lighterman is starting. Try again shortly.'])
