@include('errors.plain', ['title' => 'Not allowed', 'text' => 'Your role may look but not change things. Ask an engineer.'])
