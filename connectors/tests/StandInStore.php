<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Tests;

use Lighterman\Connectors\Objects\ObjectStore;
use RuntimeException;

/** The object store that ships as a stand-in, on loopback, for as long as this lives. */
final class StandInStore
{
    public readonly string $folder;

    public readonly int $port;

    /** @var resource */
    private $process;

    public function __construct()
    {
        $this->folder = sys_get_temp_dir().'/store-'.bin2hex(random_bytes(5));
        mkdir($this->folder);
        $free = stream_socket_server('tcp://127.0.0.1:0') ?: throw new RuntimeException('no free port');
        $this->port = (int) explode(':', (string) stream_socket_get_name($free, false))[1];
        fclose($free);
        $process = proc_open(['node', dirname(__DIR__, 2).'/stand-ins/store/store.mjs', $this->folder, (string) $this->port, 'cider'], [['file', '/dev/null', 'r'], ['file', '/dev/null', 'w'], STDERR], $pipes, null, ['STORE_KEY' => 'press', 'STORE_SECRET' => 'invented-secret'] + getenv());
        $this->process = is_resource($process) ? $process : throw new RuntimeException('the store did not start');
        for ($try = 0; $try < 100 && @fsockopen('127.0.0.1', $this->port) === false; $try++) {
            usleep(50_000);
        }
    }

    public function __destruct()
    {
        proc_terminate($this->process, SIGKILL);
        proc_close($this->process);
        exec('rm -rf '.escapeshellarg($this->folder));
    }

    public function at(string $prefix = '', string $secret = 'invented-secret', string $bucket = 'cider'): ObjectStore
    {
        return new ObjectStore("http://127.0.0.1:{$this->port}", 'us-east-1', $bucket, $prefix, 'press', $secret);
    }

    /** The file that holds an object, of a key that is short. */
    public function place(string $key): string
    {
        return "{$this->folder}/objects/".rawurlencode($key);
    }

    /** Has so many of the next questions about an object fail. */
    public function failHead(int $requests): void
    {
        file_put_contents("{$this->folder}/.fail-head", (string) $requests);
    }

    /** Has a write answered as if it had been made, after so many others. */
    public function failPut(int $after): void
    {
        file_put_contents("{$this->folder}/.fail-put", "1 {$after}");
    }

    /** Has so many of the next objects that are read end after some bytes. */
    public function cut(int $bytes, int $answers): void
    {
        file_put_contents("{$this->folder}/.cut", "{$bytes} {$answers}");
    }

    /** Has so many of the next objects that are read come with another byte than they have. */
    public function alter(int $answers): void
    {
        file_put_contents("{$this->folder}/.alter", (string) $answers);
    }

    /** Has so many of the next requests fail, as a busy store does. */
    public function failNext(int $requests): void
    {
        file_put_contents("{$this->folder}/.fail", (string) $requests);
    }
}
