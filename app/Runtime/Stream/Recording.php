<?php

declare(strict_types=1);

namespace App\Runtime\Stream;

use App\Runtime\Common\ShapeCheck;
use Illuminate\Support\Facades\DB;
use Lighterman\Core\Capture\Log\Relation;
use Lighterman\Core\Capture\TableIdentity;
use Lighterman\Core\Carrying\Carrier;
use Lighterman\Core\Carrying\SetApart;
use Lighterman\Core\Position\Place;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Trouble\Explained;
use Lighterman\Core\Trouble\StreamTrouble;
use Lighterman\Core\Trouble\SystemTrouble;

/** Whether the changes of a route's tables are recorded as they should be, and the tables are those they were. */
final class Recording
{
    /** @var array<int, Relation> as the stream described them last, by number */
    private array $described = [];

    public function __construct(private readonly RouteStream $stream, private readonly Refusals $refusals, private readonly Loads $loads)
    {
    }

    /**
     * The stream describes a table: before its first change, and when its shape has moved.
     *
     * @throws SetApart
     */
    public function describe(Carrier $carrier, Relation $relation): void
    {
        $before = $this->described[$relation->id] ?? null;
        $carrier->columns->forget($relation);
        // Names tell what came and went; a column that was given another type shows only against what was said before.
        $trouble = $carrier->spools() || ($carrier->columns->fits($relation) && ($before === null || $before == $relation)) ? null : $this->shapeTrouble($carrier);
        if ($trouble === null && ($before !== null || ! $carrier->columns->fits($relation))) {
            $source = $carrier->definition->origin->table;
            $altered = $this->compare($carrier, $this->stream->changes->identities([$source])[(string) $source] ?? null);
            // The catalogue may be ahead of what the log describes.
            $trouble = $altered && ! $carrier->spools() ? $this->shapeTrouble($carrier) : null;
        }
        if ($trouble !== null) {
            throw new SetApart($carrier, $trouble, Refusals::standingFor($trouble));
        }
    }

    /** All feeds of the table have been told. */
    public function described(Relation $relation): void
    {
        $this->described[$relation->id] = $relation;
    }

    /**
     * Has the table loaded again if it is not what it was when its load began.
     *
     * @param  string|null  $amiss  what is known to have been wrong with the recording of its changes
     * @return bool whether its columns are not those they were; this is told once
     */
    private function compare(Carrier $carrier, ?TableIdentity $now, ?string $amiss = null): bool
    {
        $altered = $now !== null && $carrier->identity?->columns != $now->columns;
        $why = $amiss ?? ($carrier->identity === null ? null : $now?->since($carrier->identity, $carrier->definition->carried()->names()));
        if ($now !== null && ($carrier->identity === null || $now->toArray() != $carrier->identity->toArray())) {
            $carrier->identity = $now;
            DB::update('UPDATE feeds SET identity = ? WHERE id = ?', [json_encode($now->toArray(), JSON_THROW_ON_ERROR | JSON_UNESCAPED_UNICODE), $carrier->feed->id]);
        }
        if ($why !== null) {
            $this->loads->again($carrier, $why);
        }

        return $altered;
    }

    /**
     * Has the changes of new feeds' tables recorded.
     *
     * @param  list<Carrier>  $new
     * @param  Place|null  $landed  up to which the target has landed
     * @return list<Carrier> those whose tables are in the stream
     */
    public function begin(array $new, ?Place $landed): array
    {
        $begin = $this->stream->log->read_to === null;
        $begin || $this->lookForGaps($new);
        $new = array_filter($new, fn (Carrier $c): bool => $this->stream->roster->find($c->feed->id) === null);
        $tables = self::tables($new);
        // What is put right for a feed that has begun has to be noticed, so that is left to the look for gaps.
        $made = $begin ? [] : self::tables(array_filter($new, self::hasBegun(...)));
        $refused = $this->ensure($tables, array_diff_key($tables, $made), $begin, $landed);
        $now = $this->stream->changes->identities(array_values(array_diff_key($tables, $refused)));
        $ready = [];
        foreach ($new as $carrier) {
            $table = (string) $carrier->definition->origin->table;
            if (isset($refused[$table])) {
                $this->refusals->refuse($carrier, $refused[$table], 'failed');
            } else {
                $this->compare($carrier, $now[$table] ?? null);
                $ready[] = $carrier;
            }
        }

        return $ready;
    }

    private static function hasBegun(Carrier $carrier): bool
    {
        return $carrier->position->hasBegun();
    }

    /**
     * @param  iterable<Carrier>  $carriers
     * @return array<string, TableName>
     */
    private static function tables(iterable $carriers): array
    {
        $tables = [];
        foreach ($carriers as $carrier) {
            $tables[(string) $carrier->definition->origin->table] = $carrier->definition->origin->table;
        }

        return $tables;
    }

    /**
     * Has the changes of tables recorded. One that cannot be stands in the way of no other.
     *
     * @param  array<string, TableName>  $tables  that have to be fit for it
     * @param  array<string, TableName>  $make  those of them of which it may not be recorded yet
     * @return array<string, SystemTrouble> why not, by table
     */
    private function ensure(array $tables, array $make, bool $begin, ?Place $landed = null): array
    {
        $changes = $this->stream->changes;
        $refused = [];
        foreach ($changes->check(array_values($tables)) as $finding) {
            if ($finding->result === 'failed' && isset($tables[$finding->subject])) {
                $refused[$finding->subject] = StreamTrouble::notReady($this->stream->sourceName(), $finding->said, (string) $finding->remedy);
            }
        }
        $rest = array_diff_key($make, $refused);
        if ($rest === [] && ! $begin) {
            return $refused;
        }
        $from = null;
        try {
            $from = $changes->ensure(array_values($rest), $begin, $landed);
        } catch (SystemTrouble $trouble) {
            foreach ($trouble->mayPass() ? throw $trouble : $rest as $name => $table) {
                try {
                    $from = $changes->ensure([$table], $begin, $landed);
                } catch (SystemTrouble $own) {
                    $refused[$name] = $own->mayPass() ? throw $own : $own;
                }
            }
            if ($from === null && $this->stream->roster->all() === []) {
                throw $trouble;
            }
        }
        // What was changed before this place is read by the first loads, which have yet to begin.
        $begin && $from !== null && $this->stream->log->update(['read_to' => $from->text()]);

        return $refused;
    }

    /**
     * Where the recording of changes was tampered with, or a table is not the one it was, what changed meanwhile can only be
     * had by loading the table again.
     *
     * @param  iterable<Carrier>  $of
     * @return bool whether the changes of all of them are recorded
     */
    public function lookForGaps(iterable $of): bool
    {
        $begun = array_filter([...$of], self::hasBegun(...));
        $tables = self::tables($begun);
        $amiss = $tables === [] ? [] : $this->stream->changes->amiss(array_values($tables));
        $wrong = array_intersect_key($tables, $amiss);
        $refused = $wrong === [] ? [] : $this->ensure($wrong, $wrong, false);
        $now = $tables === [] ? [] : $this->stream->changes->identities(array_values($tables));
        foreach ($begun as $carrier) {
            $table = (string) $carrier->definition->origin->table;
            if (isset($refused[$table])) {
                $this->refusals->refuse($carrier, $refused[$table], 'failed');

                continue;
            }
            $another = $carrier->identity !== null && isset($now[$table]) && $carrier->identity->table !== $now[$table]->table;
            $altered = $this->compare($carrier, $now[$table] ?? null, $another ? null : $amiss[$table] ?? null);
            // Where nothing changes after an alteration, the log does not tell of it; and triggers that are older than the table record what fits its old shape.
            if (($altered || isset($amiss[$table])) && ! $carrier->spools()) {
                $this->hasShape($carrier);
            }
        }

        return $refused === [];
    }

    /** Whether the table has the shape that was agreed; if not the feed is held. */
    public function hasShape(Carrier $carrier): bool
    {
        $trouble = $this->shapeTrouble($carrier);
        $trouble === null || $this->refusals->refuse($carrier, $trouble, Refusals::standingFor($trouble));

        return $trouble === null;
    }

    private function shapeTrouble(Carrier $carrier): ?Explained
    {
        try {
            ShapeCheck::agreed($this->stream->source(), $carrier->definition);

            return null;
        } catch (Explained $trouble) {
            return $trouble->mayPass() ? throw $trouble : $trouble;
        }
    }

    /**
     * What the source refuses of one feed is that feed's trouble.
     *
     * @template T
     *
     * @param  callable(): T  $do
     * @return T
     *
     * @throws SetApart
     */
    public function atSource(Carrier $carrier, callable $do): mixed
    {
        try {
            return $do();
        } catch (SystemTrouble $trouble) {
            if ($trouble->mayPass()) {
                throw $trouble;
            }
            $moved = $this->shapeTrouble($carrier);
            throw new SetApart($carrier, $moved ?? $trouble, $moved === null ? 'failed' : Refusals::standingFor($moved));
        }
    }
}
