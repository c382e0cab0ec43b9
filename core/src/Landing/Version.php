<?php

declare(strict_types=1);

namespace Lighterman\Core\Landing;

/**
 * One version of a row: valid from its commit until the next change to the same key. A delete is a version that was never
 * valid, from its time to the same time, so that the chain is known by its versions alone.
 */
final readonly class Version
{
    /**
     * @param  'load'|'insert'|'update'|'delete'  $kind
     * @param  list<string|false|null>  $row
     * @param  list<string>|null  $from  key of the landed row whose current version holds the values not said
     * @param  string  $place  orders the versions of a key
     * @param  int  $validFrom  microseconds since 1970 UTC
     * @param  int|null  $validTo  null while it is the latest
     */
    public function __construct(
        public string $kind,
        public array $row,
        public ?array $from,
        public string $place,
        public int $validFrom,
        public ?int $validTo = null,
    ) {
    }

    public function current(): bool
    {
        return $this->validTo === null;
    }

    public function until(?int $validTo): self
    {
        return new self($this->kind, $this->row, $this->from, $this->place, $this->validFrom, $validTo);
    }
}
