<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment\Value;

/** What becomes of a value that a step cannot give: `fail`, `null`, or `use` for another. */
final readonly class Instead
{
    /**
     * @param  string  $use  the value put in its place, in text form, for `use`
     *
     * @throws InvalidStep
     */
    public function __construct(public string $else = 'fail', public string $use = '')
    {
        if (! in_array($else, ['fail', 'null', 'use'], true)) {
            throw InvalidStep::because('What is done with a value that cannot be had is one of fail, null and use.');
        }
    }

    public function fails(): bool
    {
        return $this->else === 'fail';
    }

    /**
     * @param  callable(string): ?string  $worked  what makes a value of the type that is given
     * @param  string  $where  what cannot be had, and what the value is not, with %s for the value
     *
     * @throws InvalidStep
     */
    public function value(callable $worked, string $where): ?string
    {
        try {
            return $this->else === 'use' ? $worked($this->use) : null;
        } catch (Fault) {
            throw InvalidStep::because(sprintf($where, "\"{$this->use}\""));
        }
    }

    public function sentence(): string
    {
        return match ($this->else) {
            'null' => ', else null', 'use' => ", else {$this->use}", default => '',
        };
    }

    /** @return array<string, array<string, mixed>> JSON Schema of what a definition says of it, by key */
    public static function schema(): array
    {
        return ['else' => ['enum' => ['fail', 'null', 'use']], 'use' => ['type' => 'string']];
    }

    /** @return array<string, string> only what is set */
    public function toArray(): array
    {
        return ($this->else === 'fail' ? [] : ['else' => $this->else]) + ($this->use === '' ? [] : ['use' => $this->use]);
    }

    /**
     * @param  array<string, mixed>  $data
     *
     * @throws InvalidStep
     */
    public static function fromArray(array $data): self
    {
        return new self((string) ($data['else'] ?? 'fail'), (string) ($data['use'] ?? ''));
    }
}
