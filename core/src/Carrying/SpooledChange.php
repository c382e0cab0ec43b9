<?php

declare(strict_types=1);

namespace Lighterman\Core\Carrying;

use Lighterman\Core\Capture\Log\LoggedRow;

/** A change as the spool keeps it: by column names, since the shape may have moved on when it is taken out again. */
final readonly class SpooledChange
{
    /**
     * @param  'insert'|'update'|'delete'|'truncate'  $kind
     * @param  list<string>  $columns  in the order of the values
     * @param  list<string|false|null>|null  $before
     * @param  list<string|false|null>|null  $after
     * @param  int  $number  within its transaction
     */
    private function __construct(public string $kind, public array $columns, public ?array $before, public ?array $after, public int $number)
    {
    }

    public static function row(LoggedRow $row, int $number): self
    {
        return new self($row->operation, $row->relation->columns, $row->before, $row->after, $number);
    }

    public static function truncate(int $number): self
    {
        return new self('truncate', [], null, null, $number);
    }

    /** @return array{k: string, c: list<string>, b: list<string|false|null>|null, a: list<string|false|null>|null, n: int} */
    public function toArray(): array
    {
        return ['k' => $this->kind, 'c' => $this->columns, 'b' => $this->before, 'a' => $this->after, 'n' => $this->number];
    }

    /** @param  array<string, mixed>  $data  as toArray() gives it */
    public static function fromArray(array $data): self
    {
        return new self($data['k'], $data['c'], $data['b'], $data['a'], $data['n']);
    }
}
