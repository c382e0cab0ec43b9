<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment\Step;

/** What was typed into the fields of a step. */
final readonly class Typed
{
    /** @param  array<string, mixed>  $fields */
    public function __construct(private array $fields)
    {
    }

    /** Whether there is such a field, be it empty. */
    public function has(string $field): bool
    {
        return array_key_exists($field, $this->fields);
    }

    /** Without blanks around it; empty where nothing was typed. */
    public function text(string $field): string
    {
        return trim($this->exactly($field));
    }

    public function exactly(string $field): string
    {
        return is_scalar($this->fields[$field] ?? null) ? (string) $this->fields[$field] : '';
    }

    /** @return list<string> parted by commas */
    public function words(string $field): array
    {
        return array_values(array_filter(array_map(trim(...), explode(',', $this->text($field))), static fn (string $s): bool => $s !== ''));
    }
}
