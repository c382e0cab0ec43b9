<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment;

use Lighterman\Core\Treatment\Step\Step;
use Lighterman\Core\Treatment\Step\Steps;
use Lighterman\Core\Treatment\Value\InvalidStep;

/** One line of the column sheet: where a value comes from, what is done to it in order, and what it lands as. */
final readonly class Line
{
    /**
     * @param  string|null  $from  source column; null for a value that is made on the way
     * @param  string|null  $as  landed column; null takes the source's name
     * @param  list<Step>  $steps
     * @param  bool  $drop  whether it is read, and may be used in expressions, but not landed
     *
     * @throws InvalidTreatment
     */
    public function __construct(public ?string $from, public ?string $as = null, public array $steps = [], public bool $drop = false)
    {
        if ($this->name() === '') {
            throw InvalidTreatment::of('A column that is made on the way needs a name.');
        }
        if (strlen($this->name()) > 63 || str_contains($this->name(), "\0")) {
            throw InvalidTreatment::of("\"{$this->name()}\" is longer than the 63 bytes a column's name may have.");
        }
        if ($from === null && ! (($steps[0] ?? null)?->makes() ?? false)) {
            throw InvalidTreatment::of("{$this->name()} comes from no source column, so it has to begin with a derivation or a stamp.");
        }
    }

    public function name(): string
    {
        return $this->as ?? (string) $this->from;
    }

    public function masks(): bool
    {
        foreach ($this->steps as $step) {
            if ($step->masks()) {
                return true;
            }
        }

        return false;
    }

    /** Whether different values of the source column always stay different. */
    public function keepsApart(): bool
    {
        return ! $this->drop && array_filter($this->steps, static fn (Step $s): bool => ! $s->keepsApart()) === [];
    }

    public function isPlain(): bool
    {
        return $this->steps === [] && ! $this->drop && $this->name() === $this->from;
    }

    /** In a few words, as the column sheet shows it. */
    public function sentence(): string
    {
        $done = implode(', then ', array_map(static fn (Step $s): string => $s->sentence(), $this->steps));

        return match (true) {
            $this->drop => 'drop',
            $done !== '' => $done,
            default => 'keep',
        };
    }

    /** @return array<string, mixed> */
    public function toArray(): array
    {
        return array_filter(['from' => $this->from, 'as' => $this->as, 'drop' => $this->drop ?: null, 'steps' => array_map(static fn (Step $s): array => $s->toArray(), $this->steps) ?: null], static fn (mixed $v): bool => $v !== null);
    }

    /**
     * @param  array<string, mixed>  $data
     *
     * @throws InvalidTreatment
     */
    public static function fromArray(array $data): self
    {
        $text = static fn (string $k): ?string => isset($data[$k]) && is_string($data[$k]) && $data[$k] !== '' ? $data[$k] : null;
        try {
            return new self($text('from'), $text('as') === $text('from') ? null : $text('as'), array_values(array_map(Steps::of(...), (array) ($data['steps'] ?? []))), (bool) ($data['drop'] ?? false));
        } catch (InvalidStep $e) {
            throw InvalidTreatment::of(($text('as') ?? $text('from') ?? 'a new column').": {$e->getMessage()}");
        }
    }
}
