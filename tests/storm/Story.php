<?php

declare(strict_types=1);

namespace Tests\Storm;

use Random\Engine\Mt19937;
use Random\Randomizer;

/**
 * What happens in one storm: the tables of a source, the feeds that carry them, and what people and machines do. It is
 * made from a seed, or given as it was printed.
 */
final readonly class Story
{
    /** What is done to the rows of a feed that is treated: those whose number SET_ASIDE divides are set aside; those of odd seconds take a fork; a name is looked up; a list becomes rows. */
    public const TREATED = ['aside', 'forks', 'lookup'];

    /** A treated feed sets rows aside whose number this divides. */
    public const SET_ASIDE = 13;

    /**
     * @param  list<array<string, mixed>>  $tables  as Table::fromArray() takes them, or OtherTable::fromArray() or FileTable::fromArray() where they name their `system`
     * @param  list<array{name: string, table: int, capture: string, landing: string, deletes: string, target: string, truncates: string, treated?: bool|string}>  $feeds
     * @param  list<array<string, mixed>>  $steps  an `act` with what belongs to it
     */
    private function __construct(public int $seed, public array $tables, public array $feeds, public array $steps)
    {
    }

    /** @param  array{seed: int, tables: list<array<string, mixed>>, feeds: list<array{name: string, table: int, capture: string, landing: string, deletes: string, target: string, truncates: string, treated?: bool|string}>, steps: list<array<string, mixed>>}  $told */
    public static function of(array $told): self
    {
        return new self($told['seed'], $told['tables'], $told['feeds'], $told['steps']);
    }

    public static function fromSeed(int $seed): self
    {
        $random = new Randomizer(new Mt19937($seed));
        $tables = [];
        for ($n = 0, $all = $random->getInt(1, 3); $n < $all; $n++) {
            $system = ['gate', 'gate', 'gate', 'gate', 'mariadb', 'sqlite', 'files', 'boxes'][$random->getInt(0, 7)];
            $tables[] = match ($system) {
                'gate' => Table::random($random, $n), 'files', 'boxes' => FileTable::random($random, $n, $system), default => OtherTable::random($random, $n, $system),
            };
        }
        $feeds = self::feeds($random, $tables);
        $steps = [];
        for ($n = 0, $all = $random->getInt(6, 16); $n < $all; $n++) {
            $steps[] = self::step($random, $tables, $feeds);
        }

        return new self($seed, $tables, $feeds, $steps);
    }

    /** @param  list<array<string, mixed>>  $steps */
    public function with(array $steps): self
    {
        return new self($this->seed, $this->tables, $this->feeds, $steps);
    }

    /** @param  list<int>  $kept  numbers of the feeds that stay */
    public function withFeeds(array $kept): self
    {
        return new self($this->seed, $this->tables, array_values(array_intersect_key($this->feeds, array_flip($kept))), $this->steps);
    }

    /**
     * @param  list<array<string, mixed>>  $tables
     * @return list<array{name: string, table: int, capture: string, landing: string, deletes: string, target: string, truncates: string, treated?: bool|string}>
     */
    private static function feeds(Randomizer $random, array $tables): array
    {
        $feeds = [];
        $one = static fn (array $of): mixed => $of[$random->getInt(0, count($of) - 1)];
        foreach ($tables as $table => $told) {
            for ($n = 0, $all = $random->getInt(1, 2); $n < $all; $n++) {
                $capture = $one(match ($told['system'] ?? 'gate') {
                    'gate' => ['log', 'log', 'log', 'trigger', 'trigger', 'watermark', 'reload'], 'files', 'boxes' => ['files', 'files', 'reload'], default => ['trigger', 'trigger', 'watermark', 'reload'],
                });
                $landing = match ($capture) {
                    'watermark' => $one(['upsert', 'upsert', 'append']), 'reload' => in_array($told['system'] ?? '', ['files', 'boxes'], true) ? 'replace' : $one(['replace', 'upsert']), 'files' => 'upsert', default => $one(['upsert', 'upsert', 'versions', 'append']),
                };
                $deletes = $landing === 'upsert' && in_array($capture, ['log', 'trigger'], true) ? $one(['apply', 'apply', 'mark', 'ignore']) : 'apply';
                $target = $one(['house', 'house', 'house', 'lake', 'store']);
                $parted = $deletes === 'apply' && ($target === 'house' || $capture === 'watermark' || $capture === 'reload');
                $feeds[] = ['name' => "f{$table}_{$n}", 'table' => $table, 'capture' => $capture, 'landing' => $landing, 'deletes' => $deletes,
                    'target' => $target, 'truncates' => $one(['hold', 'carry']), 'treated' => self::treated($random, $told, $landing, $parted, in_array($capture, ['watermark', 'reload'], true))];
            }
        }

        return $feeds;
    }

    /**
     * @param  array<string, mixed>  $table
     * @param  bool  $parted  whether rows that take another fork leave the one where they stood
     */
    private static function treated(Randomizer $random, array $table, string $landing, bool $parted, bool $byQuery): string|false
    {
        if (! isset($table['system']) && $table['list'] && ($landing === 'replace' || ($landing === 'upsert' && $byQuery))) {
            return 'explode';
        }
        if (isset($table['system']) || $table['key'] !== 'int' || $landing !== 'upsert' || $random->getInt(0, 1) === 0) {
            return false;
        }
        $how = self::TREATED[$random->getInt(0, count(self::TREATED) - 1)];

        // A change log that leaves values out cannot tell where a row moves.
        return $how === 'forks' && (($table['big'] && ! $table['full']) || ! $parted) ? 'aside' : $how;
    }

    /**
     * @param  list<array<string, mixed>>  $tables
     * @param  list<array<string, mixed>>  $feeds
     * @return array<string, mixed>
     */
    private static function step(Randomizer $random, array $tables, array $feeds): array
    {
        $table = $random->getInt(0, count($tables) - 1);
        $feed = $random->getInt(0, count($feeds) - 1);
        $n = $random->getInt(1, 1_000_000);
        $weights = [
            'change' => 30, 'burst' => 4, 'truncate' => 2, 'move' => 4, 'swap' => 3, 'mixed' => 10, 'rollback' => 2,
            'rename_and_back' => 3, 'drop_and_add' => 3, 'add_column' => 3, 'drop_column' => 2, 'widen' => 2, 'alter_and_write' => 3,
            'make_again' => 2, 'attach' => 3, 'detach' => 2, 'part' => 2, 'truncate_part' => 1,
            'meddle_publication' => 4, 'meddle_trigger' => 4, 'as_replica' => 2, 'drop_slot' => 1,
            'drop_landed' => 3, 'truncate_landed' => 3, 'drop_landed_column' => 2, 'vacuum_landed' => 1,
            'pause' => 5, 'resume' => 5, 'load_again' => 4, 'load_range' => 3, 'load_keys' => 3, 'start_over' => 1, 'send_again' => 2,
            'kill' => 5, 'freeze' => 3, 'cut_source' => 3, 'cut_target' => 3, 'restart' => 1, 'wait' => 6, 'quiet' => 3,
            'rename_column' => 3, 'rename_landed' => 3, 'go_back' => 2, 'revoke_source' => 2, 'revoke_landed' => 2, 'revoke_replication' => 1, 'clock' => 4, 'store_trouble' => 4, 'remove_page' => 3, 'damage_page' => 2,
        ];
        $at = $random->getInt(1, array_sum($weights));
        foreach ($weights as $act => $weight) {
            if (($at -= $weight) <= 0) {
                return ['act' => $act, 'table' => $table, 'feed' => $feed, 'n' => $n];
            }
        }
        throw new \LogicException('The weights do not add up.');
    }

    /** As a test that tells it again. */
    public function asTest(string $what): string
    {
        $told = ['seed' => $this->seed, 'tables' => $this->tables, 'feeds' => $this->feeds, 'steps' => $this->steps];
        $export = static function (mixed $value) use (&$export): string {
            if (! is_array($value)) {
                return var_export($value, true);
            }
            $list = array_is_list($value);

            return '['.implode(', ', array_map(static fn (string|int $k, mixed $v): string => ($list ? '' : var_export($k, true).' => ').$export($v), array_keys($value), $value)).']';
        };

        return "    // {$what}\n    yield 'seed {$this->seed}' => [Story::of(".$export($told).')];';
    }
}
