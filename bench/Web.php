<?php

declare(strict_types=1);

/** A web server of its own with one worker, and somebody signed in. */
final class Web
{
    private readonly string $address;

    private readonly CurlHandle $curl;

    public function __construct(Bench $bench)
    {
        $bench->lighterman(['person:add', 'engineer', 'engineer'], "bench-only-password\n");
        $this->address = (string) stream_socket_get_name($probe = stream_socket_server('tcp://127.0.0.1:0'), false);
        fclose($probe);
        $server = proc_open([PHP_BINARY, '-d', 'opcache.enable_cli=1', '-S', $this->address, '-t', 'public', 'public/index.php'], [['file', '/dev/null', 'r'], ['file', '/dev/null', 'w'], ['file', '/dev/null', 'w']], $pipes);
        register_shutdown_function(static fn () => proc_terminate($server));
        $this->curl = curl_init();
        curl_setopt_array($this->curl, [CURLOPT_RETURNTRANSFER => true, CURLOPT_COOKIEFILE => '', CURLOPT_FOLLOWLOCATION => true]);
        for ($i = 0; $i < 100 && $this->get('/sign-in') === ''; $i++) {
            usleep(50_000);
        }
    }

    public function signIn(): void
    {
        $this->get('/sign-in', ['_token' => $this->token('/sign-in'), 'name' => 'engineer', 'password' => 'bench-only-password']);
    }

    /** The token that forms of a page carry. */
    public function token(string $path): string
    {
        preg_match('/name="_token" value="([^"]+)"/', $this->get($path), $m);

        return $m[1] ?? '';
    }

    /**
     * @param  array<string, mixed>|null  $post
     * @param  list<string>  $headers
     */
    public function get(string $path, ?array $post = null, array $headers = []): string
    {
        curl_setopt_array($this->curl, [CURLOPT_URL => "http://{$this->address}{$path}", CURLOPT_HTTPGET => true, CURLOPT_HTTPHEADER => $headers] + ($post === null ? [] : [CURLOPT_POST => true, CURLOPT_POSTFIELDS => http_build_query($post)]));

        return (string) curl_exec($this->curl);
    }

    /**
     * 95th percentile of forty answers, in milliseconds, after five that do not count.
     *
     * @param  callable(int): string  $ask  given the number of the request
     * @param  string  $holds  what every answer has to hold
     */
    public function p95(callable $ask, string $holds): float
    {
        $times = [];
        for ($i = 0; $i < 45; $i++) {
            $answer = $ask($i);
            if (! str_contains($answer, $holds)) {
                fwrite(STDERR, "the answer does not show {$holds}: ".substr($answer, 0, 500)."\n");
                exit(1);
            }
            $times[] = curl_getinfo($this->curl, CURLINFO_STARTTRANSFER_TIME) * 1000;
        }
        $times = array_slice($times, 5);
        sort($times);

        return $times[37];
    }
}
