<?php

declare(strict_types=1);

/*
 * Stand-ins for four small packages that Laravel 12 lists and that composer.json declares as replaced, because
 * not every package mirror carries them. Only what is really called is given here: two array helpers and two
 * handler getters that PHP 8.5 brings itself, and the clock that Carbon asks for (PSR-20).
 */

namespace {
    if (! function_exists('array_first')) {
        function array_first(array $array): mixed
        {
            return $array === [] ? null : $array[array_key_first($array)];
        }
    }

    if (! function_exists('array_last')) {
        function array_last(array $array): mixed
        {
            return $array === [] ? null : $array[array_key_last($array)];
        }
    }

    if (! function_exists('get_error_handler')) {
        function get_error_handler(): ?callable
        {
            $handler = set_error_handler(null);
            restore_error_handler();

            return $handler;
        }
    }

    if (! function_exists('get_exception_handler')) {
        function get_exception_handler(): ?callable
        {
            $handler = set_exception_handler(null);
            restore_exception_handler();

            return $handler;
        }
    }
}

namespace Symfony\Component\Clock {
    if (! interface_exists(ClockInterface::class)) {
        interface ClockInterface extends \Psr\Clock\ClockInterface
        {
            public function sleep(float|int $seconds): void;

            public function withTimeZone(\DateTimeZone|string $timezone): static;
        }

        final class NativeClock implements ClockInterface
        {
            private readonly \DateTimeZone $timezone;

            public function __construct(\DateTimeZone|string|null $timezone = null)
            {
                $this->timezone = $timezone instanceof \DateTimeZone
                    ? $timezone
                    : new \DateTimeZone($timezone ?? date_default_timezone_get());
            }

            public function now(): \DateTimeImmutable
            {
                return new \DateTimeImmutable('now', $this->timezone);
            }

            public function sleep(float|int $seconds): void
            {
                usleep((int) round($seconds * 1e6));
            }

            public function withTimeZone(\DateTimeZone|string $timezone): static
            {
                return new self($timezone);
            }
        }
    }
}
