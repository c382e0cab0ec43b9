<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Lake;

use Lighterman\Core\Definition\FileWriting;
use Lighterman\Core\Shape\Shape;

/** A time in which the files of a table were written in one way: with these columns, in this format. */
final readonly class Era
{
    /** @param  string  $since  ISO 8601, UTC; empty where nobody noted it */
    public function __construct(public string $since, public Shape $shape, public FileWriting $writing)
    {
    }

    public function isLike(self $other): bool
    {
        return $this->shape->toArray() === $other->shape->toArray() && $this->writing->toArray() === $other->writing->toArray();
    }

    /** @return array<string, mixed> */
    public function toArray(): array
    {
        return ['since' => $this->since, 'shape' => $this->shape->toArray(), 'write_as' => $this->writing->toArray()];
    }

    /** @param  array<string, mixed>  $data */
    public static function fromArray(array $data): self
    {
        return new self($data['since'], Shape::fromArray($data['shape']), FileWriting::fromArray($data['write_as']));
    }
}
