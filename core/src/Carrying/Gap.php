<?php

declare(strict_types=1);

namespace Lighterman\Core\Carrying;

use DateTimeImmutable;
use DateTimeInterface;

/** That changes may have been missed, and the table is loaded again for it. */
final readonly class Gap
{
    /**
     * @param  DateTimeInterface  $at  when it was found
     * @param  string  $why  a sentence without its full stop
     */
    public function __construct(public DateTimeInterface $at, public string $why)
    {
    }

    /** @return array{at: string, why: string} */
    public function toArray(): array
    {
        return ['at' => $this->at->format(DATE_ATOM), 'why' => $this->why];
    }

    /** @param  array<string, string>  $data  as toArray() gives it */
    public static function fromArray(array $data): self
    {
        return new self(new DateTimeImmutable($data['at']), $data['why']);
    }
}
