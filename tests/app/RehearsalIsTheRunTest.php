<?php

declare(strict_types=1);

namespace Tests\App;

use App\Feeds\Rehearsal;
use App\Models\Feed;
use App\Models\SetAside;
use App\Runtime\Common\Systems;
use Lighterman\Connectors\Postgres\Server\Quoted;
use Lighterman\Core\Capture\Capture;
use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Treatment\Treatment;
use PHPUnit\Framework\Attributes\Test;
use Random\Engine\Mt19937;
use Random\Randomizer;

/** What a rehearsal says of a record is what a run does with it, whatever the sheet. */
final class RehearsalIsTheRunTest extends AppCase
{
    private const ROUNDS = 12;

    private const ROWS = 150;

    private const VALUES = [
        'weight' => ['12', '12.5', '-0.004', '', ' 7 ', '1,5', '1e39', '1e400', '12/6', '12.34.56', '99999999999999999999', 'much', 'NaN', null, '٣', '0x1F', '-'],
        'day' => ['01.02.2026', '31.02.2026', '2026-02-28', '2026-02-28 10:11:12', '2026-02-28T10:11:12.5+05:30', '0000-05-05', '-0044-03-15', '', '/', null, '29.02.2024', '99999-01-01', 'infinity'],
        'j' => ['{}', '{"a": 1.10, "b": [1, {}]}', '{"a": "\u0000"}', '{"a": 1e400000}', '[1, 2', 'null', '', null, '{"a": {"b": "x"}}', '"text"'],
        'note' => ['abc-def', 'हिन्दी', "tab\tnew\nline", 'b\\slash', '', null, '😀 smile', 'AbC 09', "o'clock", 'NULL', '\\N'],
    ];

    private Randomizer $random;

    private function one(mixed ...$of): mixed
    {
        return $of[$this->random->getInt(0, count($of) - 1)];
    }

    /**
     * @param  array<string, mixed>  $step
     * @return array<string, mixed> the step, with what is done with a value that cannot be had
     */
    private function convert(array $step): array
    {
        $instead = isset($step['format']) ? '01.01.2026' : (in_array($step['convert'], ['date', 'timestamptz'], true) ? '2026-01-01' : '1');

        return $step + $this->one([], ['else' => 'fail'], ['else' => 'null'], ['else' => 'use', 'use' => $instead]);
    }

    /** @return list<array<string, mixed>> */
    private function lines(): array
    {
        $lines = [
            fn (): array => ['from' => 'weight', 'steps' => [$this->convert(['convert' => $this->one('decimal(10,2)', 'decimal(30,12)', 'int32', 'int64', 'float32', 'float64', 'boolean')])]],
            fn (): array => ['from' => 'weight', 'steps' => [$this->convert(['convert' => 'decimal(12,3)', 'decimal' => ',']), ['convert' => 'text']]],
            fn (): array => ['from' => 'day', 'as' => 'on_day', 'steps' => [$this->convert(['convert' => 'date'] + $this->one([], ['format' => 'dd.MM.yyyy']))]],
            fn (): array => ['from' => 'day', 'steps' => [$this->convert(['convert' => 'timestamptz', 'zone' => 'Europe/London'])]],
            fn (): array => ['from' => 'j', 'steps' => [$this->convert(['convert' => 'jsonb'])]],
            fn (): array => ['from' => 'note', 'steps' => [$this->one(['mask' => 'keep_last', 'keep' => 2], ['mask' => 'keep_shape'], ['mask' => 'keyed_hash'], ['mask' => 'fixed', 'text' => 'hidden'])]],
            fn (): array => ['from' => 'note', 'drop' => true],
            fn (): array => ['from' => 'f', 'steps' => [$this->convert(['convert' => $this->one('float32', 'int32', 'decimal(6,2)', 'text')])]],
            fn (): array => ['as' => 'share', 'steps' => [['derive' => $this->one("number(as_read('weight')) / kg", 'kg % 7 / (kg % 3)', "round(as_read('f') * 1000000, 2)", "number(first_match(as_read('note'), '[0-9]+'))", 'add_days(day_of(updated_at), kg * 100000)')], ...$this->one([], [$this->convert(['convert' => 'text'])])]],
            fn (): array => ['as' => 'inside', 'steps' => [['derive' => "nested(as_read('j'), 'a')"], $this->convert(['convert' => $this->one('decimal(8,2)', 'jsonb', 'text')])]],
        ];
        $taken = [];
        foreach ($lines as $line) {
            if ($this->random->getInt(0, 2) === 0) {
                $line = $line();
                $taken[($line['from'] ?? '').'>'.($line['as'] ?? '')] ??= $line;
            }
        }
        // A column is read by one line.
        $byColumn = [];
        foreach ($taken as $line) {
            $byColumn[$line['from'] ?? "new {$line['as']}"] ??= $line;
        }

        return array_values($byColumn);
    }

    /** @return array<string, mixed> */
    private function treatment(int $round): array
    {
        $check = fn (): array => ['else' => $this->one('set_aside', 'drop', 'warn')] + $this->one(['check' => 'range', 'columns' => ['kg'], 'from' => '20', 'to' => '120'], ['check' => 'pattern', 'columns' => ['weight'], 'pattern' => '^[0-9.]+$'], ['check' => 'required', 'columns' => ['note']], ['check' => 'list', 'columns' => ['note'], 'values' => ['abc-def', '']], ['check' => 'expression', 'expression' => 'kg % 5 != 0'], ['check' => 'expression', 'expression' => "coalesce(as_read('weight'), 'x') contains '1'"]);
        $forks = $this->random->getInt(0, 2) === 0 ? ['forks' => [['name' => 'odd', 'when' => $this->one('kg % 2 == 1', "as_read('weight') contains '1'", "as_read('note') contains '-'"), 'landed' => "copy.odd_{$round}"]], 'otherwise' => $this->one('land', 'drop')] : [];

        return ['columns' => $this->lines(), 'checks' => array_map($check, $this->random->getInt(0, 1) === 0 ? [] : range(1, $this->random->getInt(1, 3))), 'failing' => $this->one('set_aside', 'set_aside', 'drop')]
            + ($forks !== [] ? $forks : ($this->random->getInt(0, 2) === 0 ? ['explode' => ['column' => 'list', 'number' => 'list_no']] : []));
    }

    private function fill(): void
    {
        $this->gate->run('TRUNCATE loads');
        for ($id = 1; $id <= self::ROWS; $id++) {
            $texts = array_map(fn (array $of): string => ($v = $this->one(...$of)) === null ? 'NULL' : Quoted::literal((string) $v), self::VALUES);
            $this->gate->run("INSERT INTO loads (id, kg, updated_at, weight, day, j, note, f, list) VALUES ({$id}, {$this->random->getInt(0, 150)}, now() - interval '1 day', ".implode(', ', $texts).', '.$this->one('NULL', "'1e39'", "'NaN'", "'-0.1'", "'12345678.25'", "'Infinity'").', '.$this->one('NULL', "'{}'", "'{1,2,3}'", "'{NULL,7}'", "'{5}'").')');
        }
    }

    #[Test]
    public function of_random_sheets_each_record_lands_as_it_was_rehearsed(): void
    {
        $this->gate->run('ALTER TABLE loads ADD weight text, ADD day text, ADD j text, ADD note text, ADD f float8, ADD list int[]');
        $this->random = new Randomizer(new Mt19937($seed = random_int(1, 1 << 30)));
        $told = ['lands' => 0, 'set aside' => 0, 'dropped' => 0];
        for ($round = 0; $round < self::ROUNDS; $round++) {
            $this->fill();
            $treatment = $this->treatment($round);
            $said = "seed {$seed}, round {$round}: ".json_encode($treatment, JSON_UNESCAPED_UNICODE);
            $feed = $this->carry($this->feed(['name' => "loads_{$round}", 'capture' => Capture::Reload, 'watermark' => null, 'landing' => Landing::Replace, 'landed' => new TableName('copy', "loads_{$round}"), 'treatment' => Treatment::fromArray($treatment)]));
            self::assertSame('on time', $feed->state(), "{$feed->trouble?->message} {$said}");
            $this->compare(Feed::with('route.source', 'route.target', 'definition')->findOrFail($feed->id), $said, $told);
        }
        self::assertGreaterThan(100, min($told['lands'], $told['set aside']), "too little was tried: {$said}");
    }

    /** @param  array<string, int>  $told */
    private function compare(Feed $feed, string $said, array &$told): void
    {
        $definition = $feed->definition->parsed();
        $rehearsal = new Rehearsal($feed, $definition, app(Systems::class));
        $apart = SetAside::where('feed_id', $feed->id)->get()->countBy(static fn (SetAside $s): string => (string) $s->record['id'])->all();
        $landed = $types = [];
        foreach ($definition->landedTable()->tables() as $table) {
            $types[$name = (string) $table->name] = array_intersect_key($this->types($name), array_flip($table->shape->names()));
            $landed[$name] = array_column($this->house->rows('SELECT ROW('.implode(', ', array_map(Quoted::name(...), array_keys($types[$name]))).")::text AS row FROM {$name}"), 'row');
        }
        $columns = implode(', ', array_map(Quoted::name(...), $definition->carried()->names()));
        $counted = [];
        foreach ($this->gate->rows("SELECT {$columns} FROM loads ORDER BY id") as $row) {
            foreach ($rehearsal->records([array_values(array_map(static fn (mixed $v): ?string => $v === null ? null : (string) $v, $row))]) as $record) {
                $one = $rehearsal->of($record);
                $outcome = str_starts_with($one['outcome'], 'lands') ? 'lands' : $one['outcome'];
                $told[$outcome] = ($told[$outcome] ?? 0) + 1;
                if ($outcome === 'set aside') {
                    $counted[(string) $row['id']] = ($counted[(string) $row['id']] ?? 0) + 1;
                } elseif ($outcome === 'lands') {
                    $same = $this->written($types[$one['table']], $one['lands'] ?? []);
                    $found = array_search($same, $landed[$one['table']], true);
                    self::assertNotFalse($found, "row {$row['id']} is to land in {$one['table']} as {$same}; {$said}");
                    unset($landed[$one['table']][$found]);
                }
            }
        }
        self::assertSame([], array_merge(...array_values($landed)), "more landed than was rehearsed: {$said}");
        ksort($apart);
        ksort($counted);
        self::assertSame($counted, $apart, "other records are set aside: {$said}");
    }

    /** @return array<string, string> types by column */
    private function types(string $table): array
    {
        return array_column($this->house->rows("SELECT attname AS c, format_type(atttypid, atttypmod) AS t FROM pg_attribute WHERE attrelid = '{$table}'::regclass AND attnum > 0 AND NOT attisdropped ORDER BY attnum"), 't', 'c');
    }

    /**
     * A row as the target writes it.
     *
     * @param  array<string, string>  $types
     * @param  array<string, string|null>  $lands
     */
    private function written(array $types, array $lands): string
    {
        return (string) $this->house->value('SELECT ROW('.implode(', ', array_map(static fn (string $c, string $type): string => ($lands[$c] ?? null) === null ? 'NULL' : 'CAST('.Quoted::literal((string) $lands[$c])." AS {$type})", array_keys($types), $types)).')::text');
    }
}
