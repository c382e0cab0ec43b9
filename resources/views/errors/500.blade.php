@include('errors.plain', ['title' => 'Something broke in Lighterman', 'text' => 'It is written to the log, var/storage/logs. Nothing of what you asked for was done.'])
