<?php

declare(strict_types=1);

namespace Lighterman\Core\Shape;

/** One column of a table: its name as the system writes it, its type, and whether it may be null. */
final readonly class Column
{
    public function __construct(
        public string $name,
        public Type $type,
        public bool $nullable = true,
        public ?string $comment = null,
        public bool $generated = false,
    ) {
    }

    /** @return array<string, mixed> */
    public function toArray(): array
    {
        return ['name' => $this->name, 'type' => $this->type->toArray(), 'nullable' => $this->nullable]
            + ($this->comment === null ? [] : ['comment' => $this->comment])
            + ($this->generated ? ['generated' => true] : []);
    }

    /** @param  array<string, mixed>  $data */
    public static function fromArray(array $data): self
    {
        return new self($data['name'], Type::fromArray($data['type']), $data['nullable'] ?? true, $data['comment'] ?? null, $data['generated'] ?? false);
    }
}
