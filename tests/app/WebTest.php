<?php

declare(strict_types=1);

namespace Tests\App;

use Illuminate\Support\Facades\RateLimiter;
use PHPUnit\Framework\Attributes\Test;

/** Under which names pages are given, and whom they believe. */
final class WebTest extends AppCase
{
    #[Test]
    public function pages_are_given_under_known_names_only(): void
    {
        foreach (['localhost', '127.0.0.1', 'LOCALHOST', 'localhost:8080'] as $host) {
            $this->get("http://{$host}/sign-in")->assertOk();
        }
        foreach (['evil.example', 'localhost.evil.example', 'evil.example:80', '127.0.0.1.evil.example'] as $host) {
            $this->get("http://{$host}/sign-in")->assertStatus(421)->assertDontSee('evil')->assertHeader('X-Content-Type-Options', 'nosniff');
        }
        config(['lighterman.hosts' => ['carry.aldermoor.example']]);
        $this->get('http://carry.aldermoor.example/sign-in')->assertOk();
        $this->get('http://localhost/sign-in')->assertStatus(421);
    }

    #[Test]
    public function a_proxy_is_believed_only_if_it_was_named(): void
    {
        $from = fn (string $address): array => ['REMOTE_ADDR' => '127.0.0.1', 'HTTP_X_FORWARDED_FOR' => $address, 'HTTP_X_FORWARDED_PROTO' => 'https', 'HTTP_X_FORWARDED_PORT' => '443', 'HTTP_X_FORWARDED_HOST' => 'evil.example'];
        $there = fn (): string => (string) $this->call('GET', '/watch', server: $from('203.0.113.7'))->headers->get('Location');
        self::assertMatchesRegularExpression('~^http://(localhost|127\.0\.0\.1)/sign-in$~', $there());
        config(['lighterman.proxies' => ['127.0.0.1']]);
        self::assertMatchesRegularExpression('~^https://(localhost|127\.0\.0\.1)/sign-in$~', $there(), 'and the host it says is not believed');

        // Thirty bad tries from one place lock nobody else out.
        $this->engineer();
        $try = function (string $address) use ($from): bool {
            $this->call('POST', '/sign-in', ['name' => 'engineer', 'password' => 'a long enough one'], server: $from($address));

            return auth()->check();
        };
        for ($n = 0; $n < 31; $n++) {
            RateLimiter::hit('sign-in:203.0.113.7', 60);
        }
        self::assertSame([false, true], [$try('203.0.113.7'), $try('203.0.113.8')]);
    }
}
