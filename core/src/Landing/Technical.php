<?php

declare(strict_types=1);

namespace Lighterman\Core\Landing;

use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\Type;
use Lighterman\Core\Shape\TypeKind;

/** The columns a landing adds to those of the source. */
enum Technical: string
{
    case DeliveredAt = 'delivered_at';
    case SourcePosition = 'source_position';
    case DeletedAt = 'deleted_at';
    case ChangeKind = 'change_kind';
    case ChangedAt = 'changed_at';
    case RowBefore = 'row_before';
    case NotSent = 'not_sent';
    case ValidFrom = 'valid_from';
    case ValidTo = 'valid_to';
    case IsCurrent = 'is_current';

    public function column(?string $name = null): Column
    {
        $type = match ($this) {
            self::SourcePosition, self::ChangeKind => Type::of(TypeKind::Text),
            self::RowBefore => Type::of(TypeKind::JsonBinary),
            self::NotSent => Type::listOf(Type::of(TypeKind::Text)),
            self::IsCurrent => Type::of(TypeKind::Boolean),
            default => Type::of(TypeKind::TimestampTz),
        };

        return new Column($name ?? $this->value, $type);
    }
}
