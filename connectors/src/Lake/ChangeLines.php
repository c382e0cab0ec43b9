<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Lake;

use Lighterman\Core\Format\CopyText;
use Lighterman\Core\Landing\Change;
use Lighterman\Core\Landing\SourceCommit;

/** Writes changes as the lines in which they are gathered: the values of a record, then those of the technical columns. */
final class ChangeLines
{
    /** Of lines since the delivery began. */
    private int $number = 0;

    /**
     * @param  list<string>  $carried  columns of a record
     * @param  list<string>  $technical  what the further columns hold
     */
    public function __construct(private readonly array $carried, private readonly array $technical)
    {
    }

    public function begin(): void
    {
        $this->number = 0;
    }

    /** One change of a journal. */
    public function journal(Change $change, SourceCommit $commit, string $now): string
    {
        $before = array_filter(array_combine($this->carried, $change->before ?? array_fill(0, count($this->carried), false)), static fn (string|false|null $v): bool => $v !== false);
        $unsent = array_keys(array_filter(array_combine($this->carried, $change->after ?? array_fill(0, count($this->carried), '')), static fn (string|false|null $v): bool => $v === false));

        return $this->entry($change->after ?? $change->before ?? [], $change->kind, $commit, $change->number, $now, [
            'row_before' => $change->before === null ? null : json_encode($before, JSON_THROW_ON_ERROR | JSON_UNESCAPED_UNICODE | JSON_UNESCAPED_SLASHES),
            'not_sent' => $unsent === [] ? null : '{'.implode(',', array_map(static fn (string $n): string => preg_match('/^[^\s{},"\\\\]+$/', $n) && strcasecmp($n, 'null') !== 0 ? $n : '"'.addcslashes($n, '"\\').'"', $unsent)).'}',
        ]);
    }

    /**
     * @param  list<string|false|null>  $row  empty where there is none
     * @param  array<string, string|null>  $more
     */
    public function entry(array $row, string $kind, SourceCommit $commit, int $number, string $now, array $more = []): string
    {
        return $this->fields($row, $more + ['source_position' => $commit->place->ofChange($number), 'change_kind' => $kind, 'changed_at' => $commit->time(), 'delivered_at' => $now]);
    }

    /**
     * @param  'w'|'d'  $op  whether a row is written or leaves
     * @param  list<string|false|null>  $row
     * @param  array<string, string|null>  $said  by what technical columns hold
     */
    public function staged(string $op, array $row, array $said): string
    {
        return ++$this->number."\t{$op}\t".$this->fields($row, $said);
    }

    /**
     * @param  list<string|false|null>  $row
     * @param  array<string, string|null>  $said
     */
    private function fields(array $row, array $said): string
    {
        return CopyText::line([...array_pad($row, count($this->carried), null), ...array_map(static fn (string $what): ?string => $said[$what] ?? null, $this->technical)]);
    }
}
