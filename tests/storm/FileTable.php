<?php

declare(strict_types=1);

namespace Tests\Storm;

use Lighterman\Connectors\Tests\StandInStore;
use Random\Engine\Mt19937;
use Random\Randomizer;

/** Files of one pattern, as others leave them in a folder or an object store, and what becomes of them there. */
final class FileTable
{
    /** Numbers of rows that the files may bring. */
    private const NUMBERS = 900;

    /** @var array<string, array<int, array{string, string|null}>> rows of the files that are there, by file in the order in which they were written */
    private array $files = [];

    /** @var array<int, int> of rows that may have been read before their file was taken away: when that file was written */
    private array $unsure = [];

    private int $written = 0;

    private int $named = 0;

    /**
     * @param  'delimited'|'jsonl'  $format
     * @param  StandInStore|null  $store  the store that keeps them, where it is not the folder
     */
    private function __construct(public readonly string $name, private readonly string $format, private readonly string $folder, private readonly ?StandInStore $store)
    {
    }

    /**
     * @param  'files'|'boxes'  $system
     * @return array<string, mixed>
     */
    public static function random(Randomizer $random, int $n, string $system): array
    {
        return ['name' => "t{$n}", 'system' => $system, 'format' => ['delimited', 'jsonl'][$random->getInt(0, 1)]];
    }

    /** @param  array<string, mixed>  $told */
    public static function fromArray(array $told, string $folder, ?StandInStore $store): self
    {
        return new self($told['name'], $told['format'], $folder, $told['system'] === 'boxes' ? $store : null);
    }

    private function path(string $name): string
    {
        return $this->store?->place("drop/{$name}") ?? "{$this->folder}/{$name}";
    }

    public function pattern(): string
    {
        return "{$this->name}-*.{$this->ending()}";
    }

    private function ending(): string
    {
        return $this->format === 'jsonl' ? 'jsonl' : 'csv';
    }

    public function create(): void
    {
        $this->leave($this->rows(1, 300));
    }

    /** @return bool whether the act is one that is done to the files; the rest of what is done to a source is nothing here */
    public function act(string $act, int $n): bool
    {
        match ($act) {
            'change', 'mixed' => $this->leave($this->rows($n, 1 + $n % 40)),
            'burst' => array_map(fn (int $i) => $this->leave($this->rows($n + $i, 3)), range(1, 3)),
            'move', 'alter_and_write' => $this->rewrite($n),
            'widen', 'rename_column', 'drop_and_add' => $this->append($n),
            'truncate', 'drop_column' => $this->takeAway($n),
            'rollback', 'add_column' => $this->leave($this->rows($n, 5), wrong: true),
            'swap', 'make_again' => $this->leave($this->rows($n, 400), slowly: true),
            default => null,
        };

        return ! in_array($act, ['drop_landed', 'truncate_landed', 'vacuum_landed', 'revoke_landed', 'clock', 'go_back', 'store_trouble', 'remove_page', 'damage_page', 'pause', 'resume', 'load_again', 'start_over', 'kill', 'freeze', 'send_again', 'restart', 'cut_target', 'wait', 'quiet'], true);
    }

    /** @return array<int, array{string, string|null}> amount and note by number */
    private function rows(int $seed, int $many): array
    {
        $random = new Randomizer(new Mt19937($seed));
        $rows = [];
        for ($i = 0; $i < $many; $i++) {
            $rows[$random->getInt(1, self::NUMBERS)] = [number_format($random->getInt(-99_999, 99_999_999) / 100, 2, '.', ''), [null, "n{$random->getInt(1, 99)}", 'Zoë; "der" Größte', "two\nlines", ' '][$random->getInt(0, 4)]];
        }

        return $rows;
    }

    /** @param  array<int, array{string, string|null}>  $rows */
    private function leave(array $rows, bool $wrong = false, bool $slowly = false): void
    {
        $this->write("{$this->name}-".(++$this->named).".{$this->ending()}", $rows, $wrong, $slowly);
    }

    private function any(int $n): ?string
    {
        return array_keys($this->files)[$n % max(1, count($this->files))] ?? null;
    }

    private function append(int $n): void
    {
        $name = $this->any($n);
        if ($name !== null) {
            $before = $this->files[$name];
            unset($this->files[$name]);
            $this->write($name, $before + $this->rows($n, 10), goneOn: $before);
        }
    }

    private function rewrite(int $n): void
    {
        $name = $this->any($n);
        if ($name !== null) {
            $rows = $this->files[$name];
            unset($this->files[$name]);
            $this->write($name, array_combine(array_keys($rows), array_map(static fn (array $r, int $id): array => [number_format(($n * 31 + $id) % 1_000_000 / 100, 2, '.', ''), $r[1] === null ? "again {$n}" : null], $rows, array_keys($rows))));
        }
    }

    /**
     * @param  array<int, array{string, string|null}>  $rows
     * @param  array<int, array{string, string|null}>  $goneOn  rows that the file has and that the others are put behind
     */
    private function write(string $name, array $rows, bool $wrong = false, bool $slowly = false, array $goneOn = []): void
    {
        // The order in which they are read is that of their times, which tell whole seconds.
        while (time() <= $this->written) {
            usleep(20_000);
        }
        $text = $this->text($rows, $wrong);
        $path = $this->path($name);
        // An object comes whole, whoever writes it.
        $parts = $this->store !== null ? [$text] : ($goneOn !== [] ? [substr($text, strlen($this->text($goneOn, false)))] : ($slowly ? str_split($text, intdiv(strlen($text), 2) + 1) : [$text]));
        if (count($parts) === 1 && $goneOn === [] || $this->store !== null) {
            file_put_contents($this->beside($name), $text);
            rename($this->beside($name), $path);
        } else {
            foreach ($parts as $n => $part) {
                usleep($n === 0 ? 0 : 700_000);
                file_put_contents($path, $part, FILE_APPEND);
            }
        }
        clearstatcache();
        $this->written = (int) filemtime($path);
        $this->files[$name] = $rows;
    }

    /** Where a file is written that is not there yet for others. */
    private function beside(string $name): string
    {
        return $this->store === null ? "{$this->folder}/.{$name}" : "{$this->path($name)}.new";
    }

    /** @param  array<int, array{string, string|null}>  $rows */
    private function text(array $rows, bool $wrong): string
    {
        $lines = $this->format === 'jsonl' ? [] : ['id;amount;note'];
        foreach ($rows as $id => [$amount, $note]) {
            $lines[] = $this->format === 'jsonl' ? "{\"id\": {$id}, \"amount\": {$amount}, \"note\": ".json_encode($note, JSON_THROW_ON_ERROR).'}'
                : "{$id};{$amount};".($note === null ? '' : '"'.str_replace('"', '""', $note).'"');
        }
        if ($wrong) {
            $lines[] = $this->format === 'jsonl' ? '{"id": 5, "amount": "much"}' : '5;much;';
        }

        return implode("\n", $lines)."\n";
    }

    private function takeAway(int $n): void
    {
        $name = $this->any($n);
        if ($name === null || count($this->files) === 1) {
            return;
        }
        foreach (array_keys($this->files[$name]) as $id) {
            $this->unsure[$id] = (int) filemtime($this->path($name));
        }
        unlink($this->path($name));
        unset($this->files[$name]);
    }

    /**
     * @param  list<array<string, string|null>>  $copy  rows as landed: id, amount and note
     * @return string|null how they differ from what the files say; null when they do not
     */
    public function differs(bool $whole, array $copy): ?string
    {
        if ($whole) {
            $source = array_merge(...array_map(static fn (array $rows): array => array_map(self::line(...), array_keys($rows), $rows), array_values($this->files)));
            $there = array_map(static fn (array $r): string => self::line((string) $r['id'], [(string) $r['amount'], $r['note']]), $copy);
            sort($source);
            sort($there);

            return $source === $there ? null : count($source).' rows stand in the files, '.count($there).' in the copy; such as '.implode(', ', array_slice([...array_diff($source, $there), ...array_diff($there, $source)], 0, 3));
        }
        $last = [];
        foreach ($this->files as $name => $rows) {
            foreach ($rows as $id => $row) {
                $last[$id] = [self::line($id, $row), (int) filemtime($this->path($name))];
            }
        }
        $there = array_column(array_map(static fn (array $r): array => ['id' => $r['id'], 'line' => self::line((string) $r['id'], [(string) $r['amount'], $r['note']])], $copy), 'line', 'id');
        foreach ($last as $id => [$line, $written]) {
            if ($written > ($this->unsure[$id] ?? 0) && ($there[$id] ?? null) !== $line) {
                return "the files say last {$line}, the copy ".($there[$id] ?? 'nothing');
            }
        }
        $extra = array_diff_key($there, $last, $this->unsure);

        return $extra === [] ? (count($there) === count($copy) ? null : 'a row is there twice') : 'no file ever said '.implode(', ', array_slice($extra, 0, 3));
    }

    /** @param  array{string, string|null}  $row */
    private static function line(int|string $id, array $row): string
    {
        return "{$id}|{$row[0]}|".($row[1] ?? '∅');
    }
}
