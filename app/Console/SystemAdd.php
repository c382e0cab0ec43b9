<?php

declare(strict_types=1);

namespace App\Console;

use App\Feeds\SystemBook;
use App\Support\SystemKind;
use Illuminate\Support\Facades\Validator;

final class SystemAdd extends Told
{
    protected $signature = 'system:add {name} {--kind=postgres : postgres, mariadb, sqlite, lake, lake-store, files or files-store} {--path= : file of an SQLite database, or folder of a lake or of files} {--host=127.0.0.1} {--port=} {--database=} {--user=} {--tls=prefer : disable, prefer, require or verify-full} {--endpoint= : address of an object store} {--region=us-east-1} {--bucket=} {--prefix=} {--addressing=path : whether the bucket stands in the path or before the host} {--json}';

    protected $description = 'Adds a system; the password of a server, or the secret of an object store, is asked for, or read from standard input';

    public function handle(): int
    {
        $kind = SystemKind::tryFrom((string) $this->option('kind'));
        if ($kind === null) {
            return $this->refuse('--kind is one of '.implode(', ', array_column(SystemKind::cases(), 'value')).'.');
        }
        $secret = ! $kind->hasSecret() ? '' : (stream_isatty(STDIN) ? (string) $this->secret($kind->isStore() ? 'Secret' : 'Password') : rtrim((string) fgets(STDIN), "\r\n"));
        $settings = ['port' => $this->option('port') ?? ($kind === SystemKind::MariaDb ? '3306' : '5432')] + $this->options();
        $rules = $kind->rules();
        foreach (array_keys($rules) as $needed) {
            if ($needed !== 'prefix' && (string) ($settings[$needed] ?? '') === '') {
                return $this->refuse("--{$needed} is missing.");
            }
        }
        $checked = Validator::make($settings, $rules);
        if ($checked->fails()) {
            return $this->refuse('--'.array_key_first($checked->errors()->messages()).': '.$checked->errors()->first());
        }
        $settings = array_intersect_key($settings, $rules);
        $system = SystemBook::add((string) $this->argument('name'), isset($settings['port']) ? ['port' => (int) $settings['port']] + $settings : $settings, $secret, $kind);

        $this->asJson() ? $this->json(['system' => $system->name]) : $this->line("Added {$system->name}.");

        return self::SUCCESS;
    }
}
