<?php

declare(strict_types=1);

namespace Lighterman\Core\Carrying;

use Lighterman\Core\Capture\Log\LoggedRow;
use Lighterman\Core\Capture\Log\Relation;
use Lighterman\Core\Landing\Change;

/** Which of the columns that a stream tells of a table are carried, and in which order. */
final class ColumnPick
{
    /** @var array<int, list<int|false>|null> by relation: places of the carried columns, false for one that it lacks; null for all in order */
    private array $picks = [];

    /** @var list<string>|null columns that were asked about last: those of one table, row after row */
    private ?array $asked = null;

    private bool $lacking = false;

    /**
     * @param  list<string>  $carried
     * @param  list<string>  $known  that the source's table may have
     */
    public function __construct(private readonly array $carried, private readonly array $known)
    {
    }

    /** Whether a table still has what is carried, and nothing that nobody has decided on. */
    public function fits(Relation $relation): bool
    {
        return array_diff($this->carried, $relation->columns) === [] && array_diff($relation->columns, $this->known) === [];
    }

    /** The table is described anew. */
    public function forget(Relation $relation): void
    {
        unset($this->picks[$relation->id]);
    }

    public function ofRow(LoggedRow $row, int $number): Change
    {
        $relation = $row->relation;
        if (! array_key_exists($relation->id, $this->picks)) {
            $this->picks[$relation->id] = $this->pick($relation->columns);
        }

        return self::picked($row->operation, $row->before, $row->after, $this->picks[$relation->id], $number);
    }

    /** @param  SpooledChange  $change  not of a table that was emptied */
    public function ofSpooled(SpooledChange $change): Change
    {
        return self::picked($change->kind === 'truncate' ? throw new \LogicException('Nothing can be picked from a table that was emptied.') : $change->kind, $change->before, $change->after, $this->pick($change->columns), $change->number);
    }

    /** @param  list<string>  $columns  as a change has them */
    public function lacks(array $columns): bool
    {
        if ($columns !== $this->asked) {
            [$this->asked, $this->lacking] = [$columns, $columns !== $this->carried && array_diff($this->carried, $columns) !== []];
        }

        return $this->lacking;
    }

    /**
     * @param  list<string>  $columns  in the order of a row's values
     * @return list<int|false>|null
     */
    private function pick(array $columns): ?array
    {
        return $this->carried === $columns ? null : array_map(static fn (string $c): int|false => array_search($c, $columns, true), $this->carried);
    }

    /**
     * @param  'insert'|'update'|'delete'  $kind
     * @param  list<string|false|null>|null  $before
     * @param  list<string|false|null>|null  $after
     * @param  list<int|false>|null  $pick
     */
    private static function picked(string $kind, ?array $before, ?array $after, ?array $pick, int $number): Change
    {
        if ($pick === null) {
            return new Change($kind, $before, $after, $number);
        }
        $picked = static fn (?array $values): ?array => $values === null ? null : array_map(static fn (int|false $at): string|false|null => $at === false ? false : $values[$at], $pick);

        return new Change($kind, $picked($before), $picked($after), $number);
    }
}
