<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Pdo;

use Generator;
use Lighterman\Connectors\Reading\Conditions;
use Lighterman\Connectors\SteadyClock;
use Lighterman\Connectors\Triggers\ChangeTable;
use Lighterman\Connectors\Triggers\Images;
use Lighterman\Connectors\Triggers\Reading;
use Lighterman\Connectors\Triggers\StoredChange;
use Lighterman\Core\Capture\Slice;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Landing\KeyOf;
use Lighterman\Core\Latency\ClockOffset;
use Lighterman\Core\Port\LoadChunk;
use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Shape\TypeKind;
use Lighterman\Core\Trouble\Reason;
use Lighterman\Core\Trouble\StreamTrouble;
use Lighterman\Core\Trouble\SystemTrouble;

/**
 * A change table where the database does not tell its transactions apart: a reading is known by the numbers of the
 * changes it saw. Numbers are given before the commit, so those missing between others are watched: they belong to a
 * transaction that is open, or was rolled back.
 *
 * A reading is all that was committed at one moment, so it holds whole transactions and lands as one unit.
 */
abstract class SequencedChanges implements ChangeTable
{
    /** Which of the rows before and after an event has. */
    protected const EVENTS = ['insert' => [null, 'NEW'], 'update' => ['OLD', 'NEW'], 'delete' => ['OLD', null]];

    /** How long a missing number is watched at least, once no transaction holds it. */
    private const WATCHED_SECONDS = 60;

    /** @var array<string, list<string>> */
    private array $columns = [];

    public function __construct(protected readonly string $system, protected readonly PdoConnection $writing, protected readonly PdoConnection $reading, protected readonly PdoConnection $loading, protected readonly PdoSpelling $spelling, protected readonly string $id)
    {
    }

    abstract protected function changes(): string;

    abstract protected function readings(): string;

    /** Begins a transaction in which everything is seen as of one moment. */
    abstract protected function beginSnapshot(): string;

    /** Microseconds since 1970 UTC, as an expression. */
    abstract protected function clockExpression(): string;

    /** The time of a change in microseconds, as an expression over `at`. */
    abstract protected function timeExpression(): string;

    /** Whether a transaction that is open holds a number of this range. */
    abstract protected function isHeld(int $from, int $to): bool;

    /** What a trigger writes down, as expressions: the names of the columns, the row before and the row after. */
    protected function recorded(Shape $shape, string $event): string
    {
        return implode(', ', [$this->columnNames($shape), ...array_map(fn (?string $row): string => $row === null ? 'NULL' : $this->image($shape, $row), self::EVENTS[$event])]);
    }

    protected function columnNames(Shape $shape): string
    {
        return $this->spelling->text(json_encode(array_map(static fn (Column $c): string => $c->name, self::recordable($shape)), JSON_THROW_ON_ERROR | JSON_UNESCAPED_UNICODE));
    }

    /** A row as it is written down, as an expression. */
    protected function image(Shape $shape, string $row): string
    {
        return 'json_array('.implode(', ', array_map(fn (Column $c): string => $this->spelling->render($c, "{$row}.".$this->spelling->name($c->name)), self::recordable($shape))).')';
    }

    /** @return list<Column> */
    private static function recordable(Shape $shape): array
    {
        return array_values(array_filter($shape->columns, static fn (Column $c): bool => $c->type->kind !== TypeKind::Unmappable));
    }

    public function create(int $first): void
    {
        $this->drop();
        array_map($this->writing->run(...), $this->tableStatements($first));
    }

    /**
     * @param  callable(): Shape  $read
     * @return Shape|null null where the table is gone
     */
    protected static function shapeIfThere(callable $read): ?Shape
    {
        try {
            return $read();
        } catch (SystemTrouble $trouble) {
            return $trouble->reason === Reason::NoTable ? null : throw $trouble;
        }
    }

    public function install(TableName $table): void
    {
        $this->uninstall($table);
        array_map($this->writing->run(...), $this->triggerStatements($table));
    }

    public function reading(int $number): ?Reading
    {
        return self::made($this->writing->row("SELECT number, seen, at FROM {$this->readings()} WHERE number = {$number}"));
    }

    public function last(): Reading
    {
        return self::made($this->writing->row("SELECT number, seen, at FROM {$this->readings()} ORDER BY number DESC LIMIT 1"))
            ?? throw StreamTrouble::changesGone($this->system, "{$this->system}: the readings of {$this->name()} are gone.");
    }

    /** @param  array<string, string|null>|null  $row */
    private static function made(?array $row): ?Reading
    {
        return $row === null ? null : new Reading((int) $row['number'], (string) $row['seen'], (int) $row['at']);
    }

    public function after(Reading $reading): ?Reading
    {
        $next = $reading->number + 1;
        $stored = $this->reading($next);
        if ($stored !== null) {
            return $stored;
        }
        [$seen, $at, $news] = $this->reading->inTransaction($this->beginSnapshot(), fn (): array => $this->look(Seen::parse($reading->seen)));
        if (! $news) {
            return null;
        }
        $this->writing->rows("INSERT INTO {$this->readings()} (number, seen, at) VALUES (?, ?, ?)", [$next, (string) $seen, $at]);

        return new Reading($next, (string) $seen, $at);
    }

    /** @return array{Seen, int, bool} what is seen now, when, and whether anything of it is new */
    private function look(Seen $before): array
    {
        $now = $this->reading->row("SELECT {$this->clockExpression()} AS at, (SELECT coalesce(max(seq), 0) FROM {$this->changes()}) AS upto") ?? [];
        $upTo = max($before->upTo, (int) $now['upto']);
        $seconds = intdiv((int) $now['at'], 1_000_000);
        $missing = $before->missing;
        $came = $missing === [] ? [] : array_map(static fn (array $r): int => (int) $r['seq'], $this->reading->rows("SELECT seq FROM {$this->changes()} WHERE {$before->awaited()} ORDER BY seq"));
        $missing = self::without($missing, $came);
        if ($upTo > $before->upTo) {
            $missing = [...$missing, ...$this->missing($before->upTo + 1, $upTo, $seconds)];
        }
        $news = $came !== [] || $upTo > $before->upTo;
        if ($news) {
            $missing = array_values(array_filter($missing, fn (array $m): bool => $seconds - $m[2] < self::WATCHED_SECONDS || $this->isHeld($m[0], $m[1])));
        }

        return [new Seen($upTo, $missing), (int) $now['at'], $news];
    }

    /**
     * @param  list<array{int, int, int}>  $missing
     * @param  list<int>  $came  numbers among them, in order
     * @return list<array{int, int, int}>
     */
    private static function without(array $missing, array $came): array
    {
        $left = [];
        foreach ($missing as [$from, $to, $since]) {
            while ($came !== [] && $came[0] <= $to) {
                $number = array_shift($came);
                if ($number > $from) {
                    $left[] = [$from, $number - 1, $since];
                }
                $from = $number + 1;
            }
            if ($from <= $to) {
                $left[] = [$from, $to, $since];
            }
        }

        return $left;
    }

    /**
     * Numbers of a range that no visible change has.
     *
     * @return list<array{int, int, int}>
     */
    private function missing(int $from, int $to, int $since): array
    {
        $within = "FROM {$this->changes()} WHERE seq BETWEEN {$from} AND {$to}";
        $gaps = $this->reading->rows('SELECT was + 1 AS a, seq - 1 AS b FROM (SELECT seq, coalesce(lag(seq) OVER (ORDER BY seq), '.($from - 1).") AS was {$within}) s WHERE seq > was + 1");
        $last = (int) ($this->reading->value("SELECT max(seq) {$within}") ?? $from - 1);

        return [...array_map(static fn (array $g): array => [(int) $g['a'], (int) $g['b'], $since], $gaps), ...($last < $to ? [[$last + 1, $to, $since]] : [])];
    }

    public function between(Reading $before, Reading $upTo): Generator
    {
        $where = Seen::parse($upTo->seen)->since(Seen::parse($before->seen));
        $statement = $this->reading->open("SELECT source, kind, columns, row_before, row_after, {$this->timeExpression()} FROM {$this->changes()} WHERE ({$where}) AND kind <> 'unclear' ORDER BY seq");
        try {
            while ($row = $this->reading->next($statement)) {
                yield $this->change($row, $before);
            }
        } finally {
            $statement->closeCursor();
        }
    }

    /** @param  list<string|null>  $row */
    private function change(array $row, Reading $before): StoredChange
    {
        [$table, $kind, $shape, $old, $new, $at] = $row;
        $columns = $this->columns[(string) $shape] ??= array_values(json_decode((string) $shape, true, 8, JSON_THROW_ON_ERROR));
        $values = static fn (?string $list): ?array => $list === null ? null : array_values(json_decode($list, true, 8, JSON_THROW_ON_ERROR));
        assert(in_array($kind, ['insert', 'update', 'delete'], true));

        // It was committed no earlier than the look that did not see it yet.
        return new StoredChange('', (string) $table, $kind, (string) $shape, new Images($columns, $values($old), $values($new)), max((int) $at, $before->at), strlen((string) $old) + strlen((string) $new));
    }

    public function forget(Reading $upTo): void
    {
        $seen = Seen::parse($upTo->seen);
        $this->writing->run("DELETE FROM {$this->changes()} WHERE ({$seen->all()}) AND kind <> 'unclear'");
        $this->writing->run("DELETE FROM {$this->readings()} WHERE number < {$upTo->number}");
    }

    public function clock(): ClockOffset
    {
        $asked = SteadyClock::micros();
        $theirs = (int) $this->loading->value("SELECT {$this->clockExpression()}");

        return ClockOffset::between($asked, $theirs, SteadyClock::micros());
    }

    public function chunk(FeedDefinition $definition, Slice $slice, int $rows): LoadChunk
    {
        $conditions = new Conditions($this->spelling, $definition);
        $at = (int) $this->loading->value("SELECT {$this->clockExpression()}");
        $statement = $this->loading->open($conditions->select().$conditions->slice($slice).' ORDER BY '.$conditions->names($definition->origin->key).' LIMIT '.($rows + 1));
        $found = [];
        $bytes = 0;
        while ($row = $this->loading->next($statement)) {
            $found[] = $row;
            $bytes += array_sum(array_map(static fn (?string $v): int => strlen((string) $v), $row));
        }
        $statement->closeCursor();

        [$found, $last] = LoadChunk::cut($found, $rows, KeyOf::columns($definition->carried()->names(), $definition->origin->key)->places, $definition);

        return new LoadChunk($found, $last, [], null, $at, $bytes);
    }

    public function passed(FeedDefinition $definition, array $reached, array $keys): array
    {
        $conditions = new Conditions($this->spelling, $definition);
        $passed = array_fill(0, count($keys), false);
        // A compound query has at most 500 parts in SQLite.
        foreach (array_chunk($keys, 400, true) as $some) {
            foreach ($this->loading->rows($conditions->passed($reached, $some)) as $row) {
                $passed[(int) $row['lm_number']] = true;
            }
        }

        return array_values($passed);
    }

    /** Keys are checked row by row. */
    public function sharing(array $definitions): array
    {
        return [];
    }

    /** A table that is dropped takes its triggers along, which is noticed by their absence. */
    public function identities(array $tables): array
    {
        return [];
    }
}
