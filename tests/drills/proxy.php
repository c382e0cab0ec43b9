<?php

declare(strict_types=1);

/*
 * Stands between Lighterman and a server: php proxy.php LISTEN TARGET. Passes bytes on both ways, each connection in a
 * process of its own, so that one that is not read from does not hold up the others. At SIGUSR1 every connection is cut
 * at once, in the middle of whatever was being said.
 */

[, $listen, $target] = $argv;
$server = stream_socket_server("tcp://127.0.0.1:{$listen}") ?: exit(1);
$children = [];
pcntl_async_signals(true);
$cut = static function () use (&$children): void {
    array_map(static fn (int $pid): bool => posix_kill($pid, SIGKILL), $children);
    $children = [];
};
pcntl_signal(SIGUSR1, $cut);
pcntl_signal(SIGCHLD, SIG_IGN);
pcntl_signal(SIGTERM, static function () use ($cut): void {
    $cut();
    exit(0);
});

while (true) {
    $near = @stream_socket_accept($server, 1);
    if (! $near) {
        continue;
    }
    $pid = pcntl_fork();
    if ($pid > 0) {
        $children[] = $pid;
        fclose($near);

        continue;
    }
    fclose($server);
    $far = @stream_socket_client("tcp://127.0.0.1:{$target}", timeout: 2) ?: exit(0);
    while (true) {
        $read = [$near, $far];
        $none = null;
        if (@stream_select($read, $none, $none, null) === false) {
            exit(0);
        }
        foreach ($read as $from) {
            $bytes = (string) fread($from, 65536);
            if ($bytes === '' || @fwrite($from === $near ? $far : $near, $bytes) === false) {
                exit(0);
            }
        }
    }
}
