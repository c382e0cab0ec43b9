<?php

declare(strict_types=1);

namespace Lighterman\Core\Port\Form;

/** Everything that has to be said about a system of one kind in order to reach it. */
final readonly class Form
{
    /** @var list<Field> */
    public array $fields;

    public function __construct(Field ...$fields)
    {
        $this->fields = array_values($fields);
    }

    /** Null where nothing is secret. */
    public function secret(): ?Field
    {
        return array_values(array_filter($this->fields, static fn (Field $f): bool => $f->kind === FieldKind::Secret))[0] ?? null;
    }

    /** @return list<Field> all but the secret */
    public function settings(): array
    {
        return array_values(array_filter($this->fields, static fn (Field $f): bool => $f->kind !== FieldKind::Secret));
    }

    /** @return list<string> settings that say to whom the secret is sent, or how well it is guarded on the way */
    public function guards(): array
    {
        return array_values(array_map(static fn (Field $f): string => $f->name, array_filter($this->fields, static fn (Field $f): bool => $f->guards)));
    }

    /**
     * @param  array<array-key, mixed>  $typed
     * @return array<string, string> what is wrong, by field
     */
    public function faults(array $typed): array
    {
        $faults = [];
        foreach ($this->settings() as $field) {
            $fault = $field->fault(self::said($typed, $field));
            if ($fault !== null) {
                $faults[$field->name] = $fault;
            }
        }

        return $faults;
    }

    /**
     * @param  array<array-key, mixed>  $typed  without faults
     * @return array<string, string|int>
     */
    public function read(array $typed): array
    {
        $settings = [];
        foreach ($this->settings() as $field) {
            $said = self::said($typed, $field);
            $settings[$field->name] = $field->kind === FieldKind::Number ? (int) $said : $said;
        }

        return $settings;
    }

    /** @param  array<array-key, mixed>  $typed */
    private static function said(array $typed, Field $field): string
    {
        $said = $typed[$field->name] ?? '';

        return is_scalar($said) && trim((string) $said) !== '' ? trim((string) $said) : $field->default;
    }
}
