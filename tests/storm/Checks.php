<?php

declare(strict_types=1);

namespace Tests\Storm;

use App\Feeds\Books;
use App\Models\Feed;
use App\Models\Run;
use App\Runtime\Common\Systems;
use Illuminate\Support\Facades\DB;
use Lighterman\Connectors\Engine\Engine;
use Lighterman\Connectors\Engine\TypeMap as EngineTypes;
use Lighterman\Connectors\Postgres\Server\Connection;
use Lighterman\Connectors\Postgres\Server\Quoted;
use Lighterman\Connectors\Postgres\Server\Sql;
use Lighterman\Connectors\Postgres\Server\TypeMap;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Format\CopyText;
use Lighterman\Core\Landing\Deletes;
use Lighterman\Core\Landing\LandedTable;
use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Treatment\Line;
use Lighterman\Core\Trouble\SystemTrouble;

/** Compares copies with their sources, row by row, and figures with what was done. */
final readonly class Checks
{
    /** Names that a treated feed may look up, by the last digit of its row's number. */
    public const BANDS = 8;

    /**
     * @param  array<string, OtherTable>  $others  tables of sources that are not PostgreSQL, by the names of their feeds
     * @param  array<string, FileTable>  $files
     */
    public function __construct(private Connection $gate, private Connection $house, private array $others, private array $files)
    {
    }

    /** @return string|null how a feed's copy differs from its source; null when it does not */
    public function differs(Feed $feed): ?string
    {
        $definition = $feed->definition->parsed();
        try {
            return match (true) {
                isset($this->files[$feed->name]) => $this->files[$feed->name]->differs($feed->capture === 'reload', $this->house->rows("SELECT id::text, amount::text, note FROM {$this->copy($feed, $definition->landedTable())}")),
                $definition->treatment->explode !== null => $this->exploded($feed, $definition),
                $definition->destination->landing === Landing::Append && $feed->bringsChanges() => $feed->gap === null ? $this->journal($feed, $definition) : null,
                default => $this->rows($feed, $definition) ?? ($definition->destination->landing === Landing::Versions ? $this->chain($feed, $definition) : null),
            };
        } catch (SystemTrouble $e) {
            return $e->getMessage();
        }
    }

    private function rows(Feed $feed, FeedDefinition $definition): ?string
    {
        // That a column was filled anew without its watermark is told to append by PostgreSQL only, and claimed of no other.
        $names = match (true) {
            $definition->destination->landing !== Landing::Append => $definition->carried()->names(), isset($this->others[$feed->name]) => $definition->origin->key, default => self::carriedAlways($feed, $definition),
        };
        $keys = [];
        foreach ($definition->landedTable()->tables() as $fork => $table) {
            $differs = $this->table($feed, $definition, $fork, $table, $names, $keys);
            if ($differs !== null) {
                return $fork === '' ? $differs : "{$fork}: {$differs}";
            }
        }

        return $this->lookedUp($feed, $definition);
    }

    /**
     * One of the tables that a feed's rows land in.
     *
     * @param  list<string>  $names
     * @param  array<string, true>  $keys  of the rows in those that came before
     */
    private function table(Feed $feed, FeedDefinition $definition, string $fork, LandedTable $table, array $names, array &$keys): ?string
    {
        $copied = $this->copy($feed, $table);
        $landed = fn (array $names): array => array_column($this->house->rows("SELECT {$this->key($feed, $definition)} AS key, {$this->row($feed, $names, self::landed($definition))} AS row FROM {$copied} WHERE ".self::living($definition).($definition->destination->landing === Landing::Append ? ' ORDER BY touched, delivered_at' : '')), 'row', 'key');
        [$source, $copy] = [$this->source($feed, $definition, $names, $fork), $landed($names)];
        $twice = array_intersect_key($copy, $keys);
        if ($twice !== []) {
            return count($twice).' rows stand in another table too, such as '.implode(', ', array_slice(array_keys($twice), 0, 3));
        }
        $keys += array_fill_keys(array_keys($copy), true);
        $missing = array_diff_assoc($source, $copy);
        // By watermark deletes are not seen, and by choice they may be ignored.
        $extra = $feed->capture === 'watermark' || $definition->destination->deletes === Deletes::Ignore || ($feed->capture === 'reload' && $definition->destination->landing === Landing::Upsert) ? [] : array_diff_key($copy, $source);
        if ($missing === [] && $extra === []) {
            return null;
        }
        $differing = array_filter($names, function (string $name) use ($feed, $definition, $fork, $landed): bool {
            $copy = $landed([$name]);

            return array_diff_assoc(array_intersect_key($this->source($feed, $definition, [$name], $fork), $copy), $copy) !== [];
        });

        return count($missing).' rows of '.count($source).' are missing or differ in '.implode(', ', $differing).' (such as '.implode(', ', array_slice(array_keys($missing), 0, 3)).'), '.count($extra).' should not be there ('.implode(', ', array_slice(array_keys($extra), 0, 3)).')';
    }

    private function lookedUp(Feed $feed, FeedDefinition $definition): ?string
    {
        if ($definition->landedTable()->shape->column('band') === null) {
            return null;
        }
        $wrong = $this->house->rows("SELECT id, band FROM {$this->copy($feed, $definition->landedTable())} WHERE band IS DISTINCT FROM CASE WHEN id % 10 BETWEEN 0 AND ".(self::BANDS - 1)." THEN 'band ' || id % 10 ELSE 'unknown' END LIMIT 3");

        return $wrong === [] ? null : 'another name was looked up: '.json_encode($wrong);
    }

    /** Rows that were made of the elements of lists, by the key of the row that held them. */
    private function exploded(Feed $feed, FeedDefinition $definition): ?string
    {
        $names = array_values(array_diff($definition->carried()->names(), ['list']));
        $landed = self::landed($definition);
        $select = fn (array $columns): string => "{$this->key($feed, $definition)} AS key, string_agg(md5(ROW(".implode(', ', $columns).')::text), \' \' ORDER BY md5(ROW('.implode(', ', $columns).')::text)) AS rows';
        $source = array_column($this->gate->rows('SELECT '.$select([...array_map(Quoted::name(...), $names), 'e.list', 'coalesce(e.no, 0)']).' FROM '.Sql::table($definition->origin->table).' t LEFT JOIN LATERAL unnest(t.list) WITH ORDINALITY e(list, no) ON true GROUP BY 1'), 'rows', 'key');
        $copy = array_column($this->house->rows('SELECT '.$select([...array_map(static fn (string $n): string => Quoted::name($landed[$n] ?? $n), $names), 'list', 'list_no'])." FROM {$this->copy($feed, $definition->landedTable())} GROUP BY 1"), 'rows', 'key');
        $missing = array_diff_assoc($source, $copy);
        $extra = $definition->destination->landing === Landing::Upsert ? [] : array_diff_key($copy, $source);

        return $missing === [] && $extra === [] ? null : 'the lists of '.count($missing).' rows differ (such as '.implode(', ', array_slice(array_keys($missing), 0, 3)).'), those of '.count($extra).' should not be there';
    }

    /**
     * @param  list<string>  $names
     * @return array<string, string> the source's rows by key
     */
    private function source(Feed $feed, FeedDefinition $definition, array $names, string $fork = ''): array
    {
        $treated = match (true) {
            $definition->treatment->checks !== [] => ' WHERE id % '.Story::SET_ASIDE.' <> 0',
            $definition->treatment->forks !== [] => ' WHERE floor(extract(second FROM touched))::int % 2 = '.($fork === '' ? 0 : 1),
            default => '',
        };

        return isset($this->others[$feed->name]) ? $this->others[$feed->name]->rows($definition->origin->key, $names)
            : array_column($this->gate->rows("SELECT {$this->key($feed, $definition)} AS key, {$this->row($feed, $names)} AS row FROM ".Sql::table($definition->origin->table).$treated), 'row', 'key');
    }

    /** @param  (callable(string): string)|null  $of  gives the expression of a key's column, when it is not its name */
    private function key(Feed $feed, FeedDefinition $definition, ?callable $of = null): string
    {
        $columns = array_combine($definition->origin->key, array_map($of ?? Quoted::name(...), $definition->origin->key));

        return isset($this->others[$feed->name]) ? $this->others[$feed->name]->spelt($columns) : 'ROW('.implode(', ', $columns).')::text';
    }

    /**
     * @param  list<string>  $names
     * @param  array<string, string>  $as  what those are called there that have another name
     */
    private function row(Feed $feed, array $names, array $as = []): string
    {
        $columns = array_combine($names, array_map(static fn (string $n): string => Quoted::name($as[$n] ?? $n), $names));

        return 'md5('.(isset($this->others[$feed->name]) ? $this->others[$feed->name]->spelt($columns) : 'ROW('.implode(', ', $columns).')::text').')';
    }

    /** @return array<string, string> names of landed columns by those they have at the source */
    private static function landed(FeedDefinition $definition): array
    {
        $lines = array_filter($definition->treatment->sheet($definition->carried()), static fn (Line $l): bool => $l->from !== null);

        return array_combine(array_map(static fn (Line $l): string => (string) $l->from, $lines), array_map(static fn (Line $l): string => $l->name(), $lines));
    }

    private static function living(FeedDefinition $definition): string
    {
        $technical = $definition->landedTable()->technical();

        return match (true) {
            $definition->destination->landing === Landing::Versions => Quoted::name($technical['is_current']->name),
            isset($technical['deleted_at']) => Quoted::name($technical['deleted_at']->name).' IS NULL',
            default => 'true',
        };
    }

    /** The landed table as the warehouse can be asked for it; one of a lake is brought there first. */
    private function copy(Feed $feed, LandedTable $landed): string
    {
        if ($feed->route->target->name === 'house') {
            return Sql::table($landed->name);
        }
        $columns = $landed->columns();
        $select = 'SELECT '.implode(', ', array_map(static fn ($c): string => EngineTypes::text(Engine::name($c->name), $c->type).' AS '.Engine::name($c->name), $columns)).' FROM '.Engine::name($landed->name->schema).'.'.Engine::name($landed->name->name);
        $found = app(Systems::class)->target($feed->route->target)->query($select, 200_000, 60);
        $this->house->run('DROP TABLE IF EXISTS pg_temp.lake_copy; CREATE TEMP TABLE lake_copy ('.implode(', ', array_map(static fn ($c): string => Quoted::name($c->name).' '.TypeMap::write($c->type), $columns)).')');
        $this->house->copyBegin('pg_temp.lake_copy');
        foreach ($found->rows as $row) {
            $this->house->copyPut(CopyText::line($row));
        }
        $this->house->copyEnd();

        return 'pg_temp.lake_copy';
    }

    /** Whether the versions of every key follow each other without a gap, the last one being current. */
    private function chain(Feed $feed, FeedDefinition $definition): ?string
    {
        $key = Quoted::names($definition->origin->key);
        $broken = (int) $this->house->value("SELECT count(*) FROM (SELECT valid_from, valid_to, is_current, change_kind, lead(valid_from) OVER w AS next, lead(source_position) OVER w = source_position AS twice FROM {$this->copy($feed, $definition->landedTable())} WINDOW w AS (PARTITION BY {$key} ORDER BY source_position)) v
            WHERE twice OR valid_to < valid_from OR (change_kind = 'delete' AND (is_current OR valid_to <> valid_from)) OR (change_kind <> 'delete' AND next IS NOT NULL AND valid_to <> greatest(valid_from, next))
               OR (change_kind <> 'delete' AND next IS NULL AND (NOT is_current OR valid_to IS NOT NULL))");

        return $broken === 0 ? null : "{$broken} versions do not join";
    }

    /** What follows from the entries of a journal alone, in their order, has to be the source; and no change is told twice. */
    private function journal(Feed $feed, FeedDefinition $definition): ?string
    {
        // Rows that shared a key for a moment are told by their values only, and a value the log does not tell is not in every entry.
        $names = array_values(array_diff(self::carriedAlways($feed, $definition), ['big']));
        $before = $this->key($feed, $definition, static fn (string $k): string => "(row_before ->> '{$k}')::".TypeMap::write($definition->origin->shape->column($k)->type ?? throw new \LogicException($k)));
        $entries = $this->house->rows("SELECT {$this->key($feed, $definition)} AS key, change_kind AS kind, source_position AS place, {$this->row($feed, $names)} AS row, CASE WHEN row_before IS NULL THEN NULL ELSE {$before} END AS before FROM {$this->copy($feed, $definition->landedTable())} ORDER BY source_position");
        $shares = ! isset($this->others[$feed->name]) && self::shares($definition, $this->gate);
        $rows = [];
        $places = [];
        $again = $feed->runs()->whereHas('lines', static fn ($q) => $q->where('said', 'like', 'Loads %')->orWhere('said', 'like', '%read again by key%'))->exists();
        foreach ($entries as $entry) {
            if (isset($places[(string) $entry['place']])) {
                return "the change at {$entry['place']} is told twice";
            }
            $places[(string) $entry['place']] = true;
            if (! $again && in_array($entry['kind'], ['load', 'insert'], true) && isset($rows[(string) $entry['key']]) && ! $shares) {
                return "the row {$entry['key']} begins twice";
            }
            if ($entry['kind'] === 'truncate') {
                $rows = [];
            } elseif ($entry['kind'] === 'delete') {
                unset($rows[(string) $entry['key']]);
            } else {
                if ($entry['before'] !== null && $entry['before'] !== $entry['key']) {
                    unset($rows[$entry['before']]);
                }
                $rows[(string) $entry['key']] = $entry['row'];
            }
        }
        if ($shares) {
            return null;
        }
        $source = $this->source($feed, $definition, $names);
        $missing = array_diff_assoc($source, $rows);
        $extra = array_diff_key($rows, $source);

        return $missing === [] && $extra === [] ? null : 'the journal tells of '.count($missing).' rows otherwise than the source (such as '.implode(', ', array_slice(array_keys($missing), 0, 3)).'), and of '.count($extra).' too many';
    }

    /**
     * What a column that was added later holds in rows that did not change since, nothing that is appended tells.
     *
     * @return list<string>
     */
    private static function carriedAlways(Feed $feed, FeedDefinition $definition): array
    {
        $first = $feed->definitions()->oldest('version')->firstOrFail()->parsed()->carried();

        return array_values(array_filter($definition->carried()->names(), static fn (string $n): bool => $first->column($n)?->type->equals($definition->origin->shape->column($n)->type ?? throw new \LogicException($n)) === true));
    }

    private static function shares(FeedDefinition $definition, Connection $gate): bool
    {
        return $gate->value('SELECT EXISTS (SELECT 1 FROM pg_index WHERE indrelid = to_regclass($1) AND indisprimary AND NOT indimmediate)', [Sql::table($definition->origin->table)]) === 't';
    }

    /** @return string|null what figures do not agree; null when all do */
    public function figures(): ?string
    {
        $wrong = Books::check()[0] ?? null;
        if ($wrong !== null) {
            return "{$wrong['feed']}: {$wrong['rule']}: {$wrong['said']}";
        }
        foreach (DB::select("SELECT f.name, f.sequence, (SELECT coalesce(sum(r.sequence - coalesce(r.first_sequence, r.sequence) + 1), 0) FROM receipts r WHERE r.feed_id = f.id) AS copied FROM feeds f
                WHERE NOT EXISTS (SELECT 1 FROM audit_entries a WHERE a.action = 'started over' AND a.subject = f.name)") as $feed) {
            if ((int) $feed->copied !== (int) $feed->sequence) {
                return "{$feed->name}: {$feed->copied} receipts were copied of {$feed->sequence}";
            }
        }
        $run = Run::where('state', '<>', 'running')->get()->first(static fn (Run $r): bool => ! $r->addsUp());

        return $run === null ? null : "run {$run->id} ({$run->kind}) does not add up";
    }
}
