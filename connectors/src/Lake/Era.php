<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Lake;

use Lighterman\Core\Format\Delimited\Dialect;
use Lighterman\Core\Landing\FileWriting;
use Lighterman\Core\Shape\Shape;

/** A time in which the files of a table were written in one way: with these columns, in this format. */
final readonly class Era
{
    public ?Dialect $dialect;

    /**
     * @param  string  $since  ISO 8601, UTC; empty where nobody noted it
     * @param  Dialect|null  $dialect  how its delimited text is read, where somebody else wrote it
     */
    public function __construct(public string $since, public Shape $shape, public FileWriting $writing, ?Dialect $dialect = null)
    {
        $this->dialect = $dialect ?? $writing->dialect;
    }

    public function isLike(self $other): bool
    {
        return $this->shape->toArray() === $other->shape->toArray() && $this->writing->toArray() === $other->writing->toArray() && $this->dialect?->toArray() === $other->dialect?->toArray();
    }

    /** @return array<string, mixed> */
    public function toArray(): array
    {
        return ['since' => $this->since, 'shape' => $this->shape->toArray(), 'write_as' => $this->writing->toArray()] + ($this->dialect === $this->writing->dialect ? [] : ['dialect' => $this->dialect?->toArray()]);
    }

    /** @param  array<string, mixed>  $data */
    public static function fromArray(array $data): self
    {
        return new self($data['since'], Shape::fromArray($data['shape']), FileWriting::fromArray($data['write_as']), isset($data['dialect']) ? Dialect::fromArray($data['dialect']) : null);
    }
}
