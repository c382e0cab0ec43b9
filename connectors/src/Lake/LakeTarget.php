<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Lake;

use Lighterman\Connectors\Engine\Engine;
use Lighterman\Connectors\Engine\TypeMap;
use Lighterman\Connectors\SteadyClock;
use Lighterman\Core\Guarantee\TargetCapabilities;
use Lighterman\Core\Landing\LandedTable;
use Lighterman\Core\Port\Asker;
use Lighterman\Core\Port\Finding;
use Lighterman\Core\Port\Holder;
use Lighterman\Core\Port\KeptFiles;
use Lighterman\Core\Port\KeptTable;
use Lighterman\Core\Port\LandedEntry;
use Lighterman\Core\Port\LandedHistory;
use Lighterman\Core\Port\LandingSession;
use Lighterman\Core\Port\LeaseLost;
use Lighterman\Core\Port\Owner;
use Lighterman\Core\Port\Preparation;
use Lighterman\Core\Port\QueryResult;
use Lighterman\Core\Port\TargetSystem;
use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Trouble\MissingTrouble;
use Lighterman\Core\Trouble\SystemTrouble;

/** A lake that rows are landed in. */
final class LakeTarget implements Asker, TargetSystem
{
    /** For what takes no longer unless something is wrong. */
    private const SECONDS = 30;

    private readonly Folder $folder;

    private readonly Ledger $ledger;

    private readonly Owners $owners;

    public function __construct(private readonly LakeSettings $settings)
    {
        $this->folder = $settings->folder();
        $this->ledger = new Ledger($this->folder);
        $this->owners = new Owners($settings->system, $this->folder, $this->ledger);
    }

    public function check(): array
    {
        $findings = $this->folder->check();
        if (array_filter($findings, static fn (Finding $f): bool => $f->result === 'failed') !== []) {
            return $findings;
        }
        try {
            (new LakeQuery($this->settings))->run('SELECT 1', 1, self::SECONDS);
            $findings[] = Finding::passed('Engine', "Parquet can be written, with {$this->settings->memory} MB of memory.");
        } catch (SystemTrouble $trouble) {
            $findings[] = Finding::failed('Engine', $trouble->getMessage(), (string) $trouble->remedy());
        }

        return $findings;
    }

    public function capabilities(): TargetCapabilities
    {
        return new TargetCapabilities(transactional: true, partitions: true, outsiders: 'A delivery counts at once for all of its files, together with the position, for who reads through Lighterman\'s catalogue. '
            .'Who reads the folder itself may see files of a delivery that does not count yet, or that a crash left until the feed runs again; and for '.intdiv(Page::GRACE, 60).' minutes files that newer ones have replaced.');
    }

    public function prepare(LandedTable $landed, ?string $feed = null): Preparation
    {
        $this->demandFolder();

        return $this->preparations($landed, $feed === null ? null : $this->ledger->bookOf($feed)->feeds[$feed] ?? null);
    }

    /** @param  Page|null  $own  what the feed has landed; null for one that has landed nothing */
    private function preparations(LandedTable $landed, ?Page $own): Preparation
    {
        $tables = $own->tables ?? [];
        // Many feeds may share a lake, and each book is read by itself; what is there stands in the feed's own mostly.
        $known = array_diff(array_map(static fn (LandedTable $t): string => (string) $t->name, $landed->tables()), array_keys($tables)) === [] ? $tables : $tables + $this->ledger->landed();

        return Preparation::together(array_map(function (LandedTable $t) use ($own, $known): Preparation {
            $preparation = $this->preparation($t, $known[(string) $t->name] ?? null);
            // What was taken from it stays taken, even if nobody has it any more.
            $owner = $this->owners->other($t->name, $own?->feed) ?? (isset($own->given[(string) $t->name]) ? new Owner(null, null) : null);
            $owner = $owner?->finding($t, $own?->hasLanded() ?? false);

            return $owner === null ? $preparation : new Preparation($preparation->exists, [], [$owner, ...$preparation->findings]);
        }, $landed->tables()));
    }

    /** @param  array<string, array<string, string>>  $renamed */
    public function prepareChange(LandedTable $landed, array $renamed): Preparation
    {
        $known = $this->landed();

        return Preparation::together(array_map(function (LandedTable $table, string $fork) use ($known, $renamed): Preparation {
            $preparation = $this->preparation($table, $known[(string) $table->name] ?? null);
            $lost = array_map(static fn (string $old, string $new): Finding => Finding::failed($new, "Files of {$table->name} have {$old}, which would be called {$new} from now on: rows that are there would have no {$new}.", 'Keep the name, or start the feed over.'), array_keys($renamed[$fork] ?? []), $renamed[$fork] ?? []);

            return new Preparation($preparation->exists, [], $preparation->exists ? [...$preparation->findings, ...$lost] : $preparation->findings);
        }, $landed->tables(), array_keys($landed->tables())));
    }

    private function preparation(LandedTable $landed, ?LandedFiles $there): Preparation
    {
        $findings = [];
        if ($landed->bringsChanges() && $landed->forks->tables !== []) {
            $findings[] = Finding::failed('Forks', 'Changes of a log or of triggers cannot be parted by forks in a lake.', 'Take the forks away, use capture watermark or reload, or land the changes in a database.');
        }
        foreach ($this->sameButForCase($landed) as [$one, $other]) {
            $findings[] = Finding::failed('Columns', "{$landed->name} would have the columns {$one} and {$other}, which files of a lake cannot tell apart.", 'Land one of them under another name, or leave it out.');
        }
        if ($this->settings->memory < Refusal::memory($landed)) {
            $findings[] = Finding::warned('Memory', count($landed->columns())." columns may need more than the {$this->settings->memory} MB of memory that the lake's engine has.", 'Set LIGHTERMAN_LAKE_MEMORY_MB to '.Refusal::memory($landed).' and start Lighterman again, or leave columns out.');
        }
        $below = "{$landed->name->schema}/{$landed->name->name}";
        if ($there === null) {
            $strangers = $this->folder->files($below);
            $findings[] = $strangers === [] || $landed->as->takeOver
                ? Finding::passed('Folder', "Files land in {$this->folder->where($below)}.")
                : Finding::failed('Rows', "{$this->folder->where($below)} has files that Lighterman did not write.", 'Choose another landed table, or allow the feed to take it over: they stay, but do not belong to the table.');

            return new Preparation(false, [], $findings);
        }
        foreach ($landed->columns() as $column) {
            $known = $there->shape()->column($column->name);
            $findings[] = $known === null || TypeMap::write($known->type) === TypeMap::write($column->type) || $column->type->holds($known->type)
                ? Finding::passed($column->name, $known === null ? "{$column->name} is new; rows that are there have none." : "{$column->name} is {$column->type}.")
                : Finding::failed($column->name, "Column {$column->name} of {$landed->name} is {$known->type} in the files that are there, which {$column->type} does not hold.", 'Land in another table, or start the feed over.');
        }

        return new Preparation(true, [], $findings);
    }

    /** @return list<array{string, string}> */
    private function sameButForCase(LandedTable $landed): array
    {
        $known = $pairs = [];
        foreach ($landed->columns() as $column) {
            $lower = mb_strtolower($column->name);
            isset($known[$lower]) ? $pairs[] = [$known[$lower], $column->name] : $known[$lower] = $column->name;
        }

        return $pairs;
    }

    public function alter(array $statements): void
    {
    }

    public function explain(LandedTable $landed, array $row): string
    {
        $folders = array_map(static fn ($p): string => "{$p->name()}=…/", $landed->as->partitionBy);
        $values = array_combine($landed->shape->names(), $row);

        return "{$landed->name->schema}/{$landed->name->name}/".implode('', $folders)."….{$landed->as->writing->ending()}\n".json_encode($values, JSON_THROW_ON_ERROR | JSON_UNESCAPED_UNICODE | JSON_UNESCAPED_SLASHES | JSON_PRETTY_PRINT);
    }

    public function landing(Holder $holder): LandingSession
    {
        $this->demandFolder();
        $last = $this->ledger->last(BookPage::nameFor($holder)) ?? BookPage::first(BookPage::nameFor($holder));
        if ($last->token > $holder->token) {
            throw LeaseLost::to($last->token, $holder->token);
        }
        $page = $last->claimed($holder->token, SteadyClock::time());
        $this->ledger->write($page);
        array_map($this->sweep(...), $page->feeds);

        return new LakeLanding($this->folder, $this->ledger, fn (bool $ordered, bool $wide): Engine => $this->settings->engine($ordered, [], $holder->alive, $wide), $page, $this->folder->workplace($holder->of, $holder->token), $this->demandReady(...), $this->owners);
    }

    public function refuses(LandedTable $landed, string $encoded): ?SystemTrouble
    {
        return (new LakeTrial($this->settings))->refuses($landed, $encoded);
    }

    /** Removes what a crash has left: files that were placed and never counted. */
    private function sweep(Page $page): void
    {
        $kept = $page->kept();
        $own = '/\/'.substr(str_replace('-', '', $page->feed), 0, 8).'-\d+-\d+(-j\d+)?-\d+-\d+(_\d+|-\d+)?\.(parquet|avro|jsonl|csv)(\.gz)?$/';
        foreach (array_keys($page->tables) as $table) {
            foreach ($this->folder->files(str_replace('.', '/', $table)) as $name) {
                if (! isset($kept[$name]) && preg_match($own, $name)) {
                    $this->folder->delete($name);
                }
            }
        }
    }

    public function demandKept(LandedTable $landed, string $feed): int
    {
        $this->demandFolder();
        $page = $this->ledger->last(BookPage::ofFeed($feed))->feeds[$feed] ?? Page::first($feed, 0);
        // What was taken over by another feed is in the page no more. A file that somebody removed shows when it is read.
        array_diff(array_map(static fn (LandedTable $t): string => (string) $t->name, $landed->tables()), array_keys($page->tables)) === [] || $this->demandReady($landed, $page);

        return $page->sequence;
    }

    /**
     * @param  Page  $own  what the feed has landed
     *
     * @throws SystemTrouble if a table cannot be landed in
     */
    private function demandReady(LandedTable $landed, Page $own): void
    {
        $this->preparations($landed, $own)->demandClear($this->settings->system, $landed->name);
    }

    public function discard(string $feed): void
    {
        $book = $this->ledger->bookOf($feed);
        $page = $book->feeds[$feed] ?? null;
        if ($book === null || $page === null) {
            return;
        }
        // The page comes first: from then on none of the files counts.
        $this->ledger->write($book->without($feed));
        $this->owners->release($page);
        (SeenFiles::underWay($this->folder, $feed))?->drop();
        foreach ([...array_keys($page->kept()), ...array_merge(...array_values(array_map(static fn (LandedFiles $t): array => $t->fixedNames(), $page->tables)))] as $name) {
            $this->folder->delete($name);
        }
        $this->folder->leaveWorkplace($feed);
        $this->sweep($page->having(array_map(static fn (LandedFiles $t): LandedFiles => $t->with([]), $page->tables)));
    }

    public function count(TableName $table): int
    {
        return $this->table($table)->rows();
    }

    public function kept(): array
    {
        $landed = $this->landed();
        $kept = static fn (LandedFiles $t, bool $found): KeptTable => new KeptTable($t->rows(), true, $t->bytes(), count($t->files), $found ? $t->shape() : null);

        return array_map(static fn (LandedFiles $t): KeptTable => $kept($t, false), $landed) + array_map(static fn (LandedFiles $t): KeptTable => $kept($t, true), array_diff_key($this->ledger->found(), $landed));
    }

    public function row(TableName $table, array $key): ?array
    {
        $files = $this->table($table);
        foreach (array_diff(array_keys($key), $files->shape()->names()) as $column) {
            throw MissingTrouble::column($this->settings->system, $table, $column);
        }
        $where = implode(' AND ', array_map(fn (string $c, string $v): string => Engine::name($c).' = '.TypeMap::value($v, $files->shape()->column($c)->type ?? throw new \LogicException($c)), array_keys($key), $key));
        $columns = implode(', ', array_map(static fn (Column $c): string => TypeMap::text(Engine::name($c->name), $c->type).' AS '.Engine::name($c->name), $files->shape()->columns));
        $found = (new LakeQuery($this->settings))->run("SELECT {$columns} FROM ".Engine::name($table->schema).'.'.Engine::name($table->name)." WHERE {$where} LIMIT 1", 1, self::SECONDS);

        return $found->rows === [] ? null : array_combine(array_column($found->columns, 'name'), $found->rows[0]);
    }

    public function files(TableName $table): ?KeptFiles
    {
        $known = $this->tables()[(string) $table] ?? null;
        if ($known === null) {
            return null;
        }
        $partitions = [];
        foreach ($known->files as $file) {
            $folder = rawurldecode(implode('/', array_filter(explode('/', dirname($file->name)), static fn (string $f): bool => str_contains($f, '='))));
            $so = $partitions[$folder] ?? ['files' => 0, 'rows' => 0, 'bytes' => 0];
            $partitions[$folder] = ['files' => $so['files'] + 1, 'rows' => $so['rows'] + $file->rows, 'bytes' => $so['bytes'] + $file->bytes];
        }
        ksort($partitions);

        $place = $known->files === [] ? "{$table->schema}/{$table->name}" : implode('/', array_filter(explode('/', dirname($known->files[0]->name)), static fn (string $f): bool => ! str_contains($f, '=') && $f !== '.'));

        return new KeptFiles($this->folder->where($place), count($known->files), $known->rows(), $known->bytes(), $partitions, array_sum(array_map(count(...), $known->small(TableWriter::SMALL, 2))));
    }

    public function history(LandedTable $landed, array $key, int $most): LandedHistory
    {
        $technical = $landed->technical();
        $name = static fn (string $what): string => isset($technical[$what]) ? TypeMap::text(Engine::name($technical[$what]->name), $technical[$what]->type) : 'NULL';
        $select = implode(', ', [
            "{$name('change_kind')} AS lm_kind", "{$name('source_position')} AS lm_place", "coalesce({$name('valid_from')}, {$name('changed_at')}) AS lm_made", "{$name('delivered_at')} AS lm_landed", "{$name('not_sent')} AS lm_not_sent",
            ...array_map(static fn (Column $c): string => TypeMap::text(Engine::name($c->name), $c->type).' AS '.Engine::name($c->name), $landed->shape->columns),
        ]);
        $where = implode(' AND ', array_map(static fn (string $c, string $v): string => Engine::name($c).' = '.TypeMap::value($v, $landed->shape->column($c)->type ?? throw new \LogicException($c)), array_keys($key), $key));
        $found = (new LakeQuery($this->settings))->run("SELECT {$select} FROM ".Engine::name($landed->name->schema).'.'.Engine::name($landed->name->name)." WHERE {$where} ORDER BY lm_place DESC LIMIT ".($most + 1), $most, self::SECONDS);
        $names = $landed->shape->names();

        return new LandedHistory(array_map(static fn (array $row): LandedEntry => new LandedEntry((string) $row[0], (string) $row[1], (string) $row[2], $row[3], array_combine($names, array_slice($row, 5)), $row[4] === null ? [] : array_map(static fn (?string $n): string => stripslashes((string) $n), str_getcsv(trim($row[4], '{}'), ',', '"', '\\'))), array_reverse($found->rows)), $found->cut);
    }

    public function query(string $sql, int $rowLimit, int $seconds, ?callable $stopped = null): QueryResult
    {
        return (new LakeQuery($this->settings))->run($sql, $rowLimit, $seconds, $stopped);
    }

    /** @return array<string, LandedFiles> every table of the lake, by name, those that a scan has found too */
    public function tables(): array
    {
        return $this->landed() + $this->ledger->found();
    }

    /**
     * Looks through the lake for tables that no feed has landed, and registers them.
     *
     * @return array{tables: int, unreadable: array<string, string>} what could not be read, and why, by file
     */
    public function scan(): array
    {
        $this->demandFolder();
        $scan = new Scan($this->settings);
        $damaged = [];
        $pages = array_merge([], ...array_map(static fn (BookPage $b): array => array_values($b->feeds), $this->ledger->books($damaged)));
        // What a damaged page counts would be taken for others' files.
        $damaged === [] || throw $damaged[0];
        $tables = $scan->tables($pages);
        $this->ledger->replaceFound($tables);

        return ['tables' => count($tables), 'unreadable' => $scan->unreadable];
    }

    /** @return array<string, LandedFiles> every table that feeds have landed here, by name */
    private function landed(): array
    {
        $this->demandFolder();

        return $this->ledger->landed();
    }

    /** @throws SystemTrouble if a folder that is not mounted would be taken for an empty lake, and be made anew */
    private function demandFolder(): void
    {
        if (! $this->folder->exists()) {
            throw MissingTrouble::folder($this->settings->system, "{$this->settings->system}: there is no folder {$this->folder->where('')} on this machine.", $this->folder->where(''), 'See that its disk is mounted; workers and pages must run where it lies.');
        }
    }

    private function table(TableName $table): LandedFiles
    {
        $damaged = [];
        $this->ledger->books($damaged);

        return $this->tables()[(string) $table] ?? throw $damaged[0] ?? MissingTrouble::landed($this->settings->system, $table);
    }
}
