<?php

declare(strict_types=1);

namespace Lighterman\Core\Port;

use SensitiveParameter;

/** How one system is reached. The secret never leaves it but for what connects. */
final readonly class Access
{
    /**
     * @param  string  $system  its name
     * @param  array<string, string|int>  $settings  as its connector's form has them
     */
    public function __construct(public string $system, private array $settings, #[SensitiveParameter] private string $secret, public EngineLimits $engine, public Folders $folders)
    {
    }

    public function text(string $name): string
    {
        return (string) ($this->settings[$name] ?? '');
    }

    public function number(string $name): int
    {
        return (int) ($this->settings[$name] ?? 0);
    }

    /** The same system, reached as somebody else. */
    public function as(string $user, #[SensitiveParameter] string $secret): self
    {
        return new self($this->system, ['user' => $user] + $this->settings, $secret, $this->engine, $this->folders);
    }

    public function secret(): string
    {
        return $this->secret;
    }

    /** @return array<string, mixed> without the secret */
    public function __debugInfo(): array
    {
        return ['system' => $this->system, 'settings' => $this->settings];
    }
}
