<?php

declare(strict_types=1);

namespace Lighterman\Core\Landing;

/**
 * One change to a row, in the order of the feed's carried columns. A value is text, null for SQL's null, or false where
 * the source does not say it.
 */
final readonly class Change
{
    /**
     * @param  'load'|'insert'|'update'|'delete'  $kind
     * @param  list<string|false|null>|null  $before  as far as the source tells it
     * @param  list<string|false|null>|null  $after  null for a delete
     * @param  int  $number  order within its transaction
     */
    public function __construct(public string $kind, public ?array $before, public ?array $after, public int $number)
    {
    }

    /**
     * @param  list<string|false|null>  $row
     * @param  array<int, string|false|null>  $known
     * @return list<string|false|null> the row with what it does not say taken from what is known
     */
    public static function filled(array $row, array $known): array
    {
        foreach (array_keys($row, false, true) as $at) {
            $row[$at] = $known[$at] ?? (array_key_exists($at, $known) ? null : false);
        }

        return $row;
    }
}
