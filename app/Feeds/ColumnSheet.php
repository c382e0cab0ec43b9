<?php

declare(strict_types=1);

namespace App\Feeds;

use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Treatment\Fork;
use Lighterman\Core\Treatment\InvalidTreatment;
use Lighterman\Core\Treatment\Judging;
use Lighterman\Core\Treatment\Line;
use Lighterman\Core\Treatment\Outcome;
use Lighterman\Core\Treatment\PersonalData;
use Lighterman\Core\Treatment\Reach;
use Lighterman\Core\Treatment\RowCompiler;
use Lighterman\Core\Treatment\Treater;
use Lighterman\Core\Treatment\Treatment;
use Lighterman\Core\Treatment\Value\Fault;

/** A feed's columns with what is done to them, computed on a row. */
final readonly class ColumnSheet
{
    /**
     * @param  list<array<string, mixed>>  $lines  for the page
     * @param  list<array{sentence: string, outcome: string, limit: string|null, failed: int, error: string|null}>  $checks
     * @param  list<list<string|false|null>>  $rows  sampled
     * @param  int  $at  the row shown
     * @param  int  $failing  sampled rows that a treatment fails on
     * @param  array<int, int>  $taking  how many of them take each fork, by its number, or the place of those that take none
     */
    private function __construct(public RowCompiler $rowsOf, public array $lines, public array $checks, public array $rows, public int $at, public int $failing, public array $taking)
    {
    }

    /**
     * @param  list<list<string|null>>  $rows  as the feed reads them
     * @param  array<string, string>  $stamps
     *
     * @throws InvalidTreatment
     */
    public static function of(EditedSheet $of, array $rows, int $at, array $stamps, callable $secrets, callable $tables): self
    {
        $treatment = $of->treatment;
        $compiled = new RowCompiler($of->carried, $treatment, new Reach($secrets, $tables));
        $read = $compiled->read;
        $treater = new Treater($compiled, $treatment, $stamps);
        $rows = $of->fork === null ? self::exploded($treater, $rows) : self::records($of, $rows, $stamps, $secrets, $tables);
        $at = max(0, min($at, count($rows) - 1));
        $flawless = $compiled->errors->lines === [] && $compiled->errors->checks === [] && $compiled->errors->forks === [];
        if ($flawless) {
            $treater->expect($rows);
        }
        // Only of the row that is shown, and of those that fail, every step has to be known.
        $judged = $taking = [];
        foreach ($rows as $i => $row) {
            if ($i === $at || ! $flawless || ! $treater->passes($row)) {
                $judged[$i] = $treater->look($row);
            }
            $fork = isset($judged[$i]) ? $judged[$i]->fork : $treater->took;
            $taking[$fork ?? Fork::ASIDE] = ($taking[$fork ?? Fork::ASIDE] ?? 0) + 1;
        }
        $values = $rows === [] ? [] : array_map(null, ...$rows);
        $columns = array_flip($read->names());
        $lines = [];
        $before = null;
        foreach ($compiled->sheet as $i => $line) {
            $column = $line->from === null ? null : $read->columns[$columns[$line->from]];
            $there = $column === null || $rows === [] ? [] : (count($rows) === 1 ? [$rows[0][$columns[$column->name]]] : $values[$columns[$column->name]]);
            $personal = $column === null || $line->drop || $treatment->hides($column->name) || $before === $line->from ? null : PersonalData::find($column, array_map(static fn (string|false|null $v): ?string => $v === false ? null : $v, $there), $of->definition->origin->table->name);
            $lines[] = [
                'number' => $i, 'line' => $line, 'column' => $column, 'again' => $line->from !== null && $before === $line->from,
                'key' => $column !== null && in_array($column->name, $of->key(), true), 'watermark' => $column !== null && $of->fork === null && $column->name === $of->definition->origin->watermarkColumn(),
                'raw' => $column === null || $rows === [] ? null : $rows[$at][$columns[$column->name]],
                'type' => $compiled->type($i), 'value' => isset($judged[$at]) ? $judged[$at]->final($i) : null,
                'error' => isset($compiled->errors->lines[$i]) ? $compiled->errors->lines[$i]->getMessage() : null,
                'fault' => isset($judged[$at]) ? self::faultOf($judged[$at], $i) : null,
                'failed' => count(array_filter($judged, static fn (Judging $j): bool => self::faultOf($j, $i) !== null)),
                'personal' => $personal,
            ];
            $before = $line->from;
        }

        return new self($compiled, $lines, self::checks($treatment, $compiled, array_values($judged)), $rows, $at, count(array_filter($judged, static fn (Judging $j): bool => array_filter($j->failures, static fn ($f): bool => $f->line !== null) !== [])), $taking);
    }

    /**
     * The records that a sheet treats: those that become of rows as they are read, without those whose list cannot be read,
     * or, for a fork, those that come out of the feed's own sheet and take it.
     *
     * @param  list<list<string|null>>  $rows
     * @param  array<string, string>  $stamps
     * @return list<list<string|false|null>>
     */
    public static function records(EditedSheet $of, array $rows, array $stamps, callable $secrets, callable $tables): array
    {
        $before = $of->before();
        $treater = new Treater(new RowCompiler($of->definition->carried(), $before, new Reach($secrets, $tables)), $before, $stamps);
        $records = self::exploded($treater, $rows);
        if ($of->fork === null) {
            return $records;
        }
        $taking = [];
        foreach ($records as $record) {
            $judged = $treater->look($record);
            if ($judged->fork === $of->number() && in_array($judged->outcome(), [null, Outcome::Warn], true)) {
                $taking[] = $judged->landed();
            }
        }

        return $taking;
    }

    /**
     * @param  list<list<string|null>>  $rows
     * @return list<list<string|false|null>>
     */
    private static function exploded(Treater $treater, array $rows): array
    {
        $records = [];
        foreach ($rows as $row) {
            try {
                array_push($records, ...$treater->explosion->records($row));
            } catch (Fault) {
                continue;
            }
        }

        return array_slice($records, 0, 2 * Samples::ROWS);
    }

    private static function faultOf(Judging $judged, int $line): ?string
    {
        foreach ($judged->failures as $failure) {
            if ($failure->line === $line) {
                return $failure->message;
            }
        }

        return null;
    }

    /**
     * @param  list<Judging>  $judged
     * @return list<array{sentence: string, outcome: string, limit: string|null, failed: int, error: string|null}>
     */
    private static function checks(Treatment $treatment, RowCompiler $compiled, array $judged): array
    {
        $told = [];
        foreach ($treatment->checks as $n => $check) {
            $told[] = [
                'sentence' => $check->sentence(), 'name' => $check->name, 'outcome' => match ($check->else) {
                    null => 'not stated', Outcome::SetAside => 'set aside', Outcome::Drop => 'drop', Outcome::Warn => 'warn', Outcome::Stop => 'stop the feed',
                }, 'limit' => $check->limit?->words(), 'failed' => count(array_filter($judged, static fn (Judging $j): bool => ($j->passed[$n] ?? true) === false)),
                'error' => isset($compiled->errors->checks[$n]) ? $compiled->errors->checks[$n]->getMessage() : null,
            ];
        }

        return $told;
    }

    /** @return list<array<string, mixed>> lines whose column looks personal and is not hidden */
    public function unmasked(): array
    {
        return array_values(array_filter($this->lines, static fn (array $l): bool => $l['personal'] !== null));
    }

    public function landed(): int
    {
        return count(array_filter($this->lines, static fn (array $l): bool => ! $l['line']->drop));
    }

    public function isFlawless(): bool
    {
        return $this->rowsOf->errors->lines === [] && $this->rowsOf->errors->checks === [] && $this->rowsOf->errors->forks === [];
    }

    /**
     * Landed columns that only got another name, by the one they had, for every table that both versions land in.
     *
     * @return array<string, array<string, string>> by fork, an empty name for the feed's own table
     */
    public static function renamed(FeedDefinition $before, FeedDefinition $after): array
    {
        $renamed = [];
        foreach ($after->landedTable()->tables() as $fork => $table) {
            $was = $before->landedTable()->tables()[$fork] ?? null;
            if ($was === null || (string) $was->name !== (string) $table->name) {
                continue;
            }
            [$old, $new] = [self::names($before, $fork), self::names($after, $fork)];
            foreach ($old as $from => $name) {
                if (isset($new[$from]) && $new[$from] !== $name && ! in_array($new[$from], $old, true) && ! in_array($name, $new, true)) {
                    $renamed[$fork][$name] = $new[$from];
                }
            }
        }

        return $renamed;
    }

    /** @return array<string, string> the landed name of each source column that has exactly one line */
    private static function names(FeedDefinition $definition, string $fork): array
    {
        $names = self::single($definition->treatment->sheet($definition->carried()));
        $own = $definition->treatment->forkNamed($fork);
        if ($own === null || $own->sheet->isEmpty()) {
            return $names;
        }
        $further = self::single($own->sheet->of(EditedSheet::comesOut($definition, $definition->treatment)));

        return array_filter(array_map(static fn (string $name): string => $further[$name] ?? '', $names), static fn (string $n): bool => $n !== '');
    }

    /**
     * @param  list<Line>  $sheet
     * @return array<string, string>
     */
    private static function single(array $sheet): array
    {
        $names = [];
        foreach ($sheet as $line) {
            if ($line->from !== null && ! $line->drop) {
                $names[$line->from] = isset($names[$line->from]) ? '' : $line->name();
            }
        }

        return array_filter($names, static fn (string $n): bool => $n !== '');
    }

    /**
     * How two versions treat each column.
     *
     * @return list<array{name: string, before: string, after: string}> only what differs
     */
    public static function difference(FeedDefinition $before, FeedDefinition $after): array
    {
        $told = static function (FeedDefinition $of): array {
            $said = [];
            foreach ($of->treatment->sheet($of->carried()) as $line) {
                $said['column '.($line->from ?? $line->name())][] = self::lineSaid($line, $of->landedTable()->shape);
            }
            foreach ($of->treatment->forks as $n => $fork) {
                $said["fork {$fork->name}"][] = ($n + 1).". when {$fork->when} → {$fork->landed}";
                foreach ($fork->sheet->lines as $line) {
                    $said["fork {$fork->name}: column ".($line->from ?? $line->name())][] = self::lineSaid($line, $of->landedTable()->forks->tables[$fork->name]->shape);
                }
            }
            $said['records that take no fork'][] = $of->treatment->forks === [] ? '—' : $of->treatment->elsewhere()->words();
            foreach ($of->treatment->checks as $check) {
                $said['check '.$check->sentence()][] = 'else '.($check->else?->words() ?? 'not stated').($check->limit === null ? '' : "; {$check->limit->words()}");
            }
            foreach ($of->treatment->watch as $rule) {
                $said["counted: {$rule->name}"][] = $rule->expression;
            }
            $said['rows'][] = $of->treatment->explode?->sentence() ?? 'one record each';
            $said['records that cannot be treated'][] = $of->treatment->failing?->words() ?? '—';
            $body = $of->toArray();
            foreach (['landing', 'landed', 'capture', 'watermark', 'promise_seconds', 'overlap', 'deletes', 'truncates'] as $setting) {
                $said[str_replace('_', ' ', $setting)][] = (string) ($body[$setting] ?? '—');
            }
            $said['schedule'][] = json_encode($body['schedule'], JSON_THROW_ON_ERROR);

            return array_map(static fn (array $s): string => implode('; ', $s), $said);
        };
        [$a, $b] = [$told($before), $told($after)];
        $rows = [];
        foreach (array_unique([...array_keys($a), ...array_keys($b)]) as $name) {
            if (($a[$name] ?? '—') !== ($b[$name] ?? '—')) {
                $rows[] = ['name' => $name, 'before' => $a[$name] ?? '—', 'after' => $b[$name] ?? '—'];
            }
        }

        return $rows;
    }

    private static function lineSaid(Line $line, Shape $landed): string
    {
        return $line->sentence().($line->drop || $line->name() === $line->from ? '' : " → {$line->name()}").' · '.($line->drop ? 'not landed' : (string) $landed->column($line->name())?->type);
    }
}
