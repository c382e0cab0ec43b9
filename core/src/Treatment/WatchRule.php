<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment;

/** An expression that is only counted: how many of the records that land satisfy it. */
final readonly class WatchRule
{
    /** @throws InvalidTreatment */
    public function __construct(public string $name, public string $expression)
    {
        if (trim($name) === '' || mb_strlen($name) > 80) {
            throw InvalidTreatment::of('What is counted needs a name of at most 80 characters.');
        }
        if (trim($expression) === '') {
            throw InvalidTreatment::of("{$name}: there is no expression.");
        }
    }

    /** @return array{name: string, expression: string} */
    public function toArray(): array
    {
        return ['name' => $this->name, 'expression' => $this->expression];
    }

    /**
     * @param  array<string, mixed>  $data
     *
     * @throws InvalidTreatment
     */
    public static function fromArray(array $data): self
    {
        return new self(trim((string) ($data['name'] ?? '')), (string) ($data['expression'] ?? ''));
    }
}
