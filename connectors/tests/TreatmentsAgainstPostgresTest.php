<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Tests;

use Lighterman\Core\Format\CopyText;
use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Shape\Type;
use Lighterman\Core\Treatment\Expression\Library;
use Lighterman\Core\Treatment\Failure;
use Lighterman\Core\Treatment\Line;
use Lighterman\Core\Treatment\Reach;
use Lighterman\Core\Treatment\RowCompiler;
use Lighterman\Core\Treatment\Step\Mask;
use Lighterman\Core\Treatment\Treater;
use Lighterman\Core\Treatment\Treatment;
use PHPUnit\Framework\Attributes\Test;
use Random\Engine\Mt19937;
use Random\Randomizer;

/** What functions, operators, conversions and masks make of random values, against what a database makes of them that had no part in writing them. */
final class TreatmentsAgainstPostgresTest extends PostgresCase
{
    private const ROWS = 700;

    private const COLUMNS = ['t' => 'text', 'u' => 'text', 'n' => 'decimal(20,6)', 'm' => 'decimal(12,2)', 'k' => 'int32', 'f' => 'boolean', 'd' => 'date', 'e' => 'date', 'ts' => 'timestamp', 'tz' => 'timestamptz', 'j' => 'jsonb', 'num' => 'text', 'whole' => 'text', 'day' => 'text', 'yes' => 'text', 'id' => 'uuid', 'real' => 'float64', 'wall' => 'text'];

    /** Expressions, with the SQL that says the same. */
    private const EXPRESSIONS = [
        'upper(t)' => 'upper(t)', 'lower(t)' => 'lower(t)', 'trim(t)' => "btrim(t, E' \\t\\n\\r')", 'tidy(t)' => "regexp_replace(btrim(t, E' \\t\\n\\r'), E'[ \\t\\n\\r]+', ' ', 'g')", 'left(t, k)' => 'left(t, k)', 'right(t, k)' => 'right(t, k)', 'part(t, k + 1, 3)' => 'substring(t FROM k + 1 FOR 3)', 'length(t)' => 'char_length(t)',
        "replace(t, 'a', 'xyz')" => "replace(t, 'a', 'xyz')", "pad_left(t, 9, '0')" => "CASE WHEN char_length(t) >= 9 THEN t ELSE lpad(t, 9, '0') END", "pad_right(t, k, 'ab')" => "CASE WHEN char_length(t) >= k THEN t ELSE rpad(t, k, 'ab') END", "piece(t, '-', 2)" => "CASE WHEN strpos(t, '-') > 0 THEN split_part(t, '-', 2) END", "join(t, '/', u)" => "t || '/' || u", "t ~ u ~ '!'" => "t || u || '!'",
        'number(num)' => "nullif(btrim(num), '')::numeric", 'round(n)' => 'round(n)', 'round(n, 2)' => 'round(n, 2)', 'round(n, -2)' => 'round(n, -2)', 'round(m, k)' => 'round(m, k)', 'floor(n)' => 'floor(n)', 'ceiling(n)' => 'ceil(n)', 'absolute(n)' => 'abs(n)', 'least(n, m, k)' => 'least(n, m, k)', 'greatest(n, m, 0)' => 'greatest(n, m, 0)',
        'n + m' => 'n + m', 'n - m' => 'n - m', 'n * m' => 'n * m', 'm == 0 ? null : n / m' => 'CASE WHEN m <> 0 THEN round(n::numeric(60,40) / m, 16) END', 'k == 0 ? null : n % k' => 'CASE WHEN k <> 0 THEN n % k END', '-n' => '-n', '(n + m) * 3 - 0.5' => '(n + m) * 3 - 0.5', 'n < m' => 'n < m', 'n <= m' => 'n <= m', 'n > k' => 'n > k', 'n >= m' => 'n >= m', 'n == m' => 'CASE WHEN n IS NOT NULL AND m IS NOT NULL THEN n = m END', 'n != m' => 'CASE WHEN n IS NOT NULL AND m IS NOT NULL THEN n <> m END',
        't == u' => 't = u', 't != u' => 't <> u', 't < u' => 't COLLATE "C" < u', 'd < e' => 'd < e', 'd == e' => 'd = e', 'ts < e' => 'ts < e', 'real > 0.5' => 'real > 0.5', 'real * 2' => 'real * 2',
        'f and k > 3' => 'f AND k > 3', 'f or k > 3' => 'f OR k > 3', 'not f' => 'NOT f', 'not (f and n > m)' => 'NOT (f AND n > m)', 'f ? t : u' => 'CASE WHEN f THEN t ELSE u END', 'k in [1, 3, 5]' => 'k IN (1, 3, 5)', 'k not in [1, 3]' => 'k NOT IN (1, 3)', "t in ['a', 'ab', 'ä']" => "t IN ('a', 'ab', 'ä')", "t matches '^[a-c]+'" => "t ~ '^[a-c]+'", "t starts with 'a'" => "starts_with(t, 'a')", "t ends with 'b'" => "right(t, 1) = 'b'", "t contains '-'" => "strpos(t, '-') > 0",
        'coalesce(t, u, num)' => 'coalesce(t, u, num)', 't ?? u' => 'coalesce(t, u)', 'null_if(t, u)' => 'nullif(t, u)', 'is_null(t)' => 't IS NULL', 'text(n)' => 'n::text', 'text(k)' => 'k::text', 'text(d)' => 'd::text', "first_match(t, '[a-c]+')" => "substring(t FROM '[a-c]+')", "first_match(t, '-([a-c5])')" => "substring(t FROM '-([a-c5])')", "unit(n, 'kg', 't')" => 'n / 1000', "unit(m, 'C', 'F')" => 'm * 9 / 5 + 32', "unit(m, 'acre', 'm2')" => 'm * 4046.8564224', "column('t') == as_read('t')" => 't = t',
        'year(d)' => 'extract(year FROM d)', 'month(ts)' => 'extract(month FROM ts)', 'day(tz)' => "extract(day FROM tz AT TIME ZONE 'UTC')", 'hour(tz)' => "extract(hour FROM tz AT TIME ZONE 'UTC')", 'minute(ts)' => 'extract(minute FROM ts)', 'second(ts)' => 'floor(extract(second FROM ts))', 'day_of(tz)' => "(tz AT TIME ZONE 'UTC')::date", 'day_of(ts)' => 'ts::date', 'month_of(d)' => "date_trunc('month', d::timestamp)::date", 'year_of(tz)' => "date_trunc('year', tz AT TIME ZONE 'UTC')::date",
        'add_days(d, k - 5)' => 'd + (k - 5)', 'add_months(d, k - 5)' => "(d + (k - 5) * interval '1 month')::date", 'days_between(d, e)' => 'e - d', 'seconds_between(ts, e)' => 'extract(epoch FROM e - ts)', 'seconds_between(d, ts)' => 'extract(epoch FROM ts - d)', "nested(j, 'a')" => "j #>> '{a}'", "nested(j, 'b.c')" => "j #>> '{b,c}'", "nested(j, 'b')" => "j #>> '{b}'", "nested(j, 'x.y')" => "j #>> '{x,y}'",
    ];

    /** Steps over a column, with the SQL that says the same. */
    private const STEPS = [
        ['num', ['convert' => 'decimal(20,3)'], "nullif(btrim(num), '')::numeric(20,3)"], ['whole', ['convert' => 'int64'], 'whole::bigint'], ['n', ['convert' => 'text'], 'n::text'], ['k', ['convert' => 'text'], 'k::text'], ['k', ['convert' => 'decimal(12,2)'], 'k::numeric(12,2)'], ['d', ['convert' => 'text'], 'd::text'], ['d', ['convert' => 'text', 'format' => 'dd.MM.yyyy'], "to_char(d, 'DD.MM.YYYY')"],
        ['day', ['convert' => 'date', 'format' => 'dd.MM.yyyy'], "to_date(day, 'DD.MM.YYYY')"], ['ts', ['convert' => 'date'], 'ts::date'], ['yes', ['convert' => 'boolean', 'true' => ['J'], 'false' => ['N']], "CASE yes WHEN 'J' THEN true WHEN 'N' THEN false END"], ['num', ['convert' => 'float64'], "nullif(btrim(num), '')::float8"], ['id', ['convert' => 'text'], 'id::text'], ['j', ['convert' => 'text'], 'j::text'], ['f', ['convert' => 'text'], 'CASE f WHEN true THEN \'t\' WHEN false THEN \'f\' END'],
        ['t', ['mask' => 'fixed', 'text' => 'hidden'], "CASE WHEN t IS NOT NULL THEN 'hidden' END"], ['t', ['mask' => 'null'], 'NULL::text'], ['t', ['mask' => 'keep_last', 'keep' => 3], "CASE WHEN char_length(t) <= 3 THEN repeat('·', char_length(t)) ELSE repeat('·', char_length(t) - 3) || right(t, 3) END"], ['t', ['mask' => 'keep_shape'], "regexp_replace(regexp_replace(regexp_replace(t, '[[:digit:]]', '9', 'g'), '[[:upper:]]', 'X', 'g'), '(?!X)[[:alpha:]]', 'x', 'g')"],
        ['wall', ['convert' => 'timestamptz', 'zone' => 'Europe/London'], "to_char((wall::timestamp AT TIME ZONE 'Europe/London') AT TIME ZONE 'UTC', 'YYYY-MM-DD HH24:MI:SS') || '+00'"], ['wall', ['convert' => 'timestamptz', 'zone' => 'Australia/Lord_Howe', 'format' => 'yyyy-MM-dd HH:mm:ss'], "to_char((wall::timestamp AT TIME ZONE 'Australia/Lord_Howe') AT TIME ZONE 'UTC', 'YYYY-MM-DD HH24:MI:SS') || '+00'"],
        ['d', ['mask' => 'month'], "date_trunc('month', d::timestamp)::date"], ['d', ['mask' => 'year'], "date_trunc('year', d::timestamp)::date"], ['num', ['mask' => 'keep_last', 'keep' => 0], "repeat('·', char_length(num))"],
    ];

    private Randomizer $random;

    /** @return array<string, string|null> */
    private function row(): array
    {
        $r = $this->random;
        $one = static fn (array $of): mixed => $of[$r->getInt(0, count($of) - 1)];
        $text = static function () use ($r, $one): string {
            $text = '';
            for ($i = $r->getInt(0, 9); $i > 0; $i--) {
                $text .= $one(['a', 'b', 'c', 'A', 'Z', 'ä', 'Ö', 'é', 'ж', 'Ω', '5', '0', '-', ' ', "\t", "\n", '_', '😀', '漢']);
            }

            return $text;
        };
        $number = static fn (int $digits, int $scale): string => ($r->getInt(0, 2) === 0 ? '-' : '').$r->getInt(0, 10 ** $r->getInt(0, $digits)).'.'.str_pad((string) $r->getInt(0, 10 ** $scale - 1), $scale, '0', STR_PAD_LEFT);
        $date = static fn (): string => gmdate('Y-m-d', $r->getInt(-3_000_000_000, 4_000_000_000));
        $time = static fn (): string => gmdate('Y-m-d H:i:s', $r->getInt(-3_000_000_000, 4_000_000_000)).$one(['', '.5', '.000001', '.123456']);
        [$t, $n] = [$text(), $number(9, 6)];
        $row = [
            't' => $t, 'u' => $one([$t, $text(), $text()]), 'n' => $n, 'm' => $one([$number(8, 2), $number(2, 2), '0.00', substr($n, 0, -4)]), 'k' => (string) $r->getInt(0, 9), 'f' => $one(['t', 'f']), 'd' => $date(), 'e' => $date(), 'ts' => $time(), 'tz' => $time().$one(['+00', '+05:30', '-08']),
            'j' => $one(['{}', '{"a": 1.50, "b": {"c": "x\\"y"}}', '{"a": null, "b": [1, 2.0, {}]}', '{"b": {"c": 12345678901234567890.10}, "x": {"y": true}}', '{"a": "", "x": {"y": "ü\\n"}}']), 'num' => $one(['', ' ', $number(9, 3), " {$r->getInt(0, 99)} ", "-{$r->getInt(0, 9)}"]), 'whole' => (string) $r->getInt(-2_000_000_000, 2_000_000_000), 'day' => gmdate('d.m.Y', $r->getInt(-1_000_000_000, 4_000_000_000)), 'yes' => $one(['J', 'N']), 'id' => substr(chunk_split(bin2hex($r->getBytes(16)), 4, '-'), 0, -1), 'real' => (string) ($r->getInt(-1000, 1000) / 8),
            'wall' => $one(['2026-10-25', '2026-03-29', '2025-10-26', '2026-04-05', '2026-10-04', $date()]).' '.gmdate('H:i:s', $r->getInt(0, 15_000)),
        ];
        $row['id'] = preg_replace('/^(.{4})-(.{4})-(.{4})-(.{4})-(.{4})-(.{4})-(.{4})-(.{4})$/', '$1$2-$3-$4-$5-$6$7$8', $row['id']);

        return array_map(static fn (?string $v): ?string => $r->getInt(0, 11) === 0 ? null : $v, $row);
    }

    #[Test]
    public function every_function_operator_conversion_and_mask_gives_what_the_database_gives(): void
    {
        $seed = random_int(1, 1 << 30);
        $this->random = new Randomizer(new Mt19937($seed));
        $asked = implode(' ', array_keys(self::EXPRESSIONS));
        foreach (Library::names() as $name) {
            self::assertMatchesRegularExpression("/\\b{$name}\\(/", $asked, "nothing is asked of {$name}");
        }
        self::assertSame([], array_diff(Mask::WAYS, array_column(array_column(self::STEPS, 1), 'mask'), ['keyed_hash']), 'a keyed hash has no counterpart in SQL');

        $shape = new Shape(array_map(static fn (string $c, string $t): Column => new Column($c, Type::parse($t)), array_keys(self::COLUMNS), self::COLUMNS));
        $types = ['int32' => 'int', 'float64' => 'float8', 'decimal(20,6)' => 'numeric(20,6)', 'decimal(12,2)' => 'numeric(12,2)'];
        $this->gate->run('CREATE TABLE v (no serial, '.implode(', ', array_map(static fn (string $c, string $t): string => "{$c} ".($types[$t] ?? $t), array_keys(self::COLUMNS), self::COLUMNS)).')');
        $columns = implode(', ', array_keys(self::COLUMNS));
        $this->gate->copyBegin("v ({$columns})");
        for ($i = 0; $i < self::ROWS; $i++) {
            $this->gate->copyPut(CopyText::line(array_values($this->row())));
        }
        $this->gate->copyEnd();

        $read = $this->gate->rows("SELECT {$columns} FROM v ORDER BY no");
        $this->compare($shape, $read, array_map(static fn (int|string $e): array => ['steps' => [['derive' => (string) $e]]], array_keys(self::EXPRESSIONS)), array_values(self::EXPRESSIONS), $seed);
        // By itself each, for an expression would see a column as its steps leave it.
        foreach (self::STEPS as [$column, $step, $sql]) {
            $this->compare($shape, $read, [['from' => $column, 'steps' => [$step]]], [$sql], $seed);
        }
    }

    /**
     * @param  list<array<string, string|null>>  $read
     * @param  list<array<string, mixed>>  $lines
     * @param  list<string>  $wanted  in SQL
     */
    private function compare(Shape $shape, array $read, array $lines, array $wanted, int $seed): void
    {
        $treatment = Treatment::fromArray(['columns' => array_map(static fn (array $l, int $n): array => ['as' => "r{$n}"] + $l, $lines, array_keys($lines)), 'failing' => 'set_aside']);
        $rows = new RowCompiler($shape, $treatment, new Reach(static fn (): string => str_repeat('k', 32)));
        $rows->demandFlawless();
        $treater = new Treater($rows, $treatment, []);
        $at = array_flip(array_map(static fn (Line $l): string => $l->name(), $rows->sheet));
        $theirs = array_map(fn (string $sql): array => array_column($this->gate->rows("SELECT ({$sql})::text AS v FROM v ORDER BY no"), 'v'), $wanted);
        foreach ($read as $i => $row) {
            $judged = $treater->look(array_values($row));
            $told = json_encode($row, JSON_UNESCAPED_UNICODE)." (seed {$seed})";
            self::assertSame([], array_map(static fn (Failure $f): string => $f->message, $judged->failures), $told);
            foreach ($theirs as $n => $values) {
                $ours = $judged->final($at["r{$n}"]);
                self::assertSame(self::plain($values[$i]), self::plain(is_string($ours) ? $ours : null), json_encode($lines[$n]['steps'])."; {$told}");
            }
        }
    }

    /** Numbers by their value, flags as PostgreSQL writes them in rows. */
    private static function plain(?string $value): ?string
    {
        return match (true) {
            $value === null => null,
            $value === 'true' => 't', $value === 'false' => 'f',
            preg_match('/^-?\d*\.?\d+$/', $value) === 1 => preg_replace('/^-(0)$/', '$1', preg_replace(['/(\.\d*?)0+$/', '/\.$/'], ['$1', ''], $value) ?? ''),
            default => $value,
        };
    }
}
