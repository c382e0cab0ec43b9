<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment\Step\Convert;

use Lighterman\Core\Shape\TypeKind;
use Lighterman\Core\Treatment\Value\Nested;
use Lighterman\Core\Treatment\Value\Worker;

/** JSON out of text that holds it, or out of a plain value. */
final readonly class ToNested implements Worker
{
    public function __construct(private TypeKind $from)
    {
    }

    public function of(string $value): ?string
    {
        return match (true) {
            $this->from === TypeKind::Boolean => $value === 't' ? 'true' : 'false',
            $this->from->isText() => Nested::valid($value),
            $this->from->isInteger(), $this->from === TypeKind::Decimal && is_numeric($value) => $value,
            default => json_encode($value, JSON_UNESCAPED_UNICODE | JSON_UNESCAPED_SLASHES | JSON_THROW_ON_ERROR),
        };
    }
}
