<?php

declare(strict_types=1);

namespace App\Console;

use App\Models\Person;
use App\Support\Audit;

final class PersonAdd extends Told
{
    protected $signature = 'person:add {name} {role : engineer or viewer} {--zone=UTC} {--sees-personal : may see what masks hide of records set aside} {--json}';

    protected $description = 'Adds a person, or sets a new password and role; the password is asked for, or read from standard input';

    public function handle(): int
    {
        $role = (string) $this->argument('role');
        if (! in_array($role, ['engineer', 'viewer'], true)) {
            return $this->refuse('The role is engineer or viewer.');
        }
        $password = stream_isatty(STDIN) ? (string) $this->secret('Password') : rtrim((string) fgets(STDIN), "\r\n");
        if (mb_strlen($password) < 12) {
            return $this->refuse('The password has fewer than 12 characters. Choose a longer one.');
        }
        $name = (string) $this->argument('name');
        Person::query()->updateOrCreate(['name' => $name], ['password' => $password, 'role' => $role, 'zone' => (string) $this->option('zone'), 'sees_personal' => (bool) $this->option('sees-personal')]);
        Audit::record('set', 'person', $name, null, ['role' => $role, 'sees_personal' => (bool) $this->option('sees-personal'), 'password' => '']);
        $this->asJson() ? $this->json(['person' => $name, 'role' => $role]) : $this->line("{$name} may sign in as {$role}.");

        return self::SUCCESS;
    }
}
