<?php

declare(strict_types=1);

namespace App\Console;

use App\Feeds\SystemBook;
use App\Runtime\Common\Systems;

final class SystemAsker extends Told
{
    protected $signature = 'system:asker {name} {user=lighterman_asks : the account} {--make= : who makes it; where left out, it was made already} {--json}';

    protected $description = 'Gives people\'s queries of a system an account of their own; its password, and with --make that of who makes it, come on standard input, a line each';

    public function handle(Systems $systems): int
    {
        $system = SystemBook::named((string) $this->argument('name'));
        $next = fn (string $of): string => stream_isatty(STDIN) ? (string) $this->secret($of) : rtrim((string) fgets(STDIN), "\r\n");
        $secret = $next("Password of {$this->argument('user')}");
        $maker = $this->option('make');
        SystemBook::ask($system, (string) $this->argument('user'), $secret, $maker === null ? null : [(string) $maker, $next("Password of {$maker}")], $systems);
        $findings = $system->refresh()->findings['asker'] ?? [];
        $this->asJson() ? $this->json($findings) : $this->findings($findings);

        return $system->mayBeAsked() ? self::SUCCESS : self::FAILURE;
    }
}
