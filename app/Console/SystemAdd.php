<?php

declare(strict_types=1);

namespace App\Console;

use App\Feeds\SystemBook;

final class SystemAdd extends Told
{
    protected $signature = 'system:add {name} {--host=127.0.0.1} {--port=5432} {--database=} {--user=} {--tls=prefer : disable, prefer, require or verify-full} {--json}';

    protected $description = 'Adds a PostgreSQL system; the password is asked for, or read from standard input';

    public function handle(): int
    {
        $secret = stream_isatty(STDIN) ? (string) $this->secret('Password') : rtrim((string) fgets(STDIN), "\r\n");
        foreach (['database', 'user'] as $needed) {
            if ((string) $this->option($needed) === '') {
                return $this->refuse("--{$needed} is missing.");
            }
        }
        if (! in_array($this->option('tls'), ['disable', 'prefer', 'require', 'verify-full'], true)) {
            return $this->refuse('--tls is one of disable, prefer, require and verify-full.');
        }
        $system = SystemBook::add((string) $this->argument('name'), [
            'host' => (string) $this->option('host'), 'port' => (int) $this->option('port'), 'database' => (string) $this->option('database'),
            'user' => (string) $this->option('user'), 'tls' => (string) $this->option('tls'),
        ], $secret);

        $this->asJson() ? $this->json(['system' => $system->name]) : $this->line("Added {$system->name}.");

        return self::SUCCESS;
    }
}
