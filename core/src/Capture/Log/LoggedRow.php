<?php

declare(strict_types=1);

namespace Lighterman\Core\Capture\Log;

/**
 * One row inserted, updated or deleted, in the order of the relation's columns. A value is text, null for SQL's null, or
 * false where the log does not say it: a large value that did not change, or a column outside the identity of an old row.
 */
final readonly class LoggedRow
{
    /**
     * @param  'insert'|'update'|'delete'  $operation
     * @param  list<string|false|null>|null  $before  null where the log carries no old row
     * @param  list<string|false|null>|null  $after  null for a delete
     * @param  int|null  $at  when it was made, microseconds since 1970 UTC, where changes of several transactions come as one; null for the time of the commit
     */
    public function __construct(public Relation $relation, public string $operation, public ?array $before, public ?array $after, public ?int $at = null)
    {
    }
}
