<?php

declare(strict_types=1);

namespace Lighterman\Core\Record;

/** Why a record cannot be written to a target, without the value, which may be hidden. */
final readonly class Unwritable
{
    /** Stands in a record that is kept for a value that is too long to be. */
    public const NOT_KEPT = '… too long to be kept here';

    /** What failed, in words. */
    public const STEP = 'writing the record';

    private function __construct(public string $reason, public string $column, public string $message)
    {
    }

    /** A zero byte ends a value, or is refused, wherever text is handed on as it is written. */
    public static function zeroByte(string $column): self
    {
        return new self('zero_byte', $column, "{$column} holds a zero byte, which text of the target cannot.");
    }

    /** @param  int  $most  bytes */
    public static function tooLong(string $column, int $most): self
    {
        $limit = $most % (1 << 20) === 0 ? ($most >> 20).' MB' : "{$most} bytes";

        return new self('too_long', $column, "{$column} is longer than the {$limit} that a value may have. Have the limit raised (LIGHTERMAN_VALUE_MB), then load the row again by its key.");
    }

    public static function noDate(string $column): self
    {
        return new self('no_date', $column, "{$column} holds a date whose year, month or day is zero, and there is no such date.");
    }

    public static function tooFar(string $column): self
    {
        return new self('too_far', $column, "{$column} lies after the year 294246, the last that files of a lake can hold of a moment.");
    }

    public static function noNumber(string $column): self
    {
        return new self('no_number', $column, "{$column} is no finite number, which a decimal in files of a lake has to be.");
    }

    public static function noList(string $column): self
    {
        return new self('no_list', $column, "{$column} holds an array of several dimensions, or one that does not begin at 1, which a list in files of a lake cannot be. Have the column converted to text on the feed's Columns page.");
    }

    public static function keyTaken(string $key): self
    {
        return new self('key_taken', $key, "Its {$key} was edited, and a row of that {$key} has landed already, perhaps in a newer version. Mend the row at the source, or let this record go.");
    }

    /** @param  string  $said  by the target; values that it quotes are left out */
    public static function refused(string $said): self
    {
        return new self('target_refuses', '', (string) preg_replace(['/: "(?:[^"]|"")*"/', "/'[^']*'/"], ['', 'a value'], $said));
    }

    /**
     * The record as it can be kept: without the value, where that is too long.
     *
     * @param  list<string>  $columns
     * @param  list<string|false|null>  $row
     * @return list<string|false|null>
     */
    public function kept(array $columns, array $row): array
    {
        return $this->reason !== 'too_long' ? $row : array_map(fn (string $c, string|false|null $v): string|false|null => $c === $this->column ? self::NOT_KEPT : $v, $columns, $row);
    }
}
