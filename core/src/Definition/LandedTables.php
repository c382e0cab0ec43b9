<?php

declare(strict_types=1);

namespace Lighterman\Core\Definition;

use Lighterman\Core\Capture\Kind\CaptureKind;
use Lighterman\Core\Capture\Origin;
use Lighterman\Core\Landing\Arriving;
use Lighterman\Core\Landing\Destination;
use Lighterman\Core\Landing\Forks;
use Lighterman\Core\Landing\LandedTable;
use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Treatment\InvalidTreatment;
use Lighterman\Core\Treatment\Line;
use Lighterman\Core\Treatment\Otherwise;
use Lighterman\Core\Treatment\Reach;
use Lighterman\Core\Treatment\RowCompiler;
use Lighterman\Core\Treatment\Treatment;
use Lighterman\Core\Trouble\InvalidDefinition;

/** Works out the tables that a feed lands in from what it reads and what is done to it on the way. */
final readonly class LandedTables
{
    /** @param  Shape  $carried  the columns that are read */
    public function __construct(private string $name, private CaptureKind $kind, private Origin $origin, private Shape $carried, private Treatment $treatment, private Destination $destination)
    {
    }

    /** @throws InvalidDefinition where the treatment leaves none */
    public function own(): LandedTable
    {
        if ($this->treatment->isEmpty()) {
            return $this->table($this->destination->table, new Shape($this->carried->columns, $this->origin->key), $this->origin->key, new Forks);
        }
        try {
            return $this->treated();
        } catch (InvalidTreatment $e) {
            throw InvalidDefinition::at("{$this->name}: treatment", rtrim(lcfirst($e->getMessage()), '.'), 'Change it on the feed\'s columns or checks.');
        }
    }

    /** @throws InvalidTreatment */
    private function treated(): LandedTable
    {
        $this->treatment->demandOutcomes();
        $rows = new RowCompiler($this->carried, $this->treatment, new Reach(static fn (): string => str_repeat("\0", 32)));
        $rows->demandFlawless();
        $this->refuseHiddenPosition();
        $this->refuseExploding();
        $this->refuseForks();
        $key = $this->treatedKey($rows->sheet);
        $shape = $rows->shape($key);

        return $this->table($this->destination->table, $shape, $key, new Forks($this->forks($rows, $shape), $this->treatment->elsewhere() === Otherwise::Land), $this->keepsElements() ? $key[count($key) - 1] : null);
    }

    /** @param  list<string>  $key */
    private function table(TableName $name, Shape $shape, array $key, Forks $forks, ?string $place = null): LandedTable
    {
        return new LandedTable($name, $shape, $key, $this->destination, $this->arriving(), $this->origin->table, $forks, $place);
    }

    /**
     * @return array<string, LandedTable> by fork
     *
     * @throws InvalidTreatment
     */
    private function forks(RowCompiler $rows, Shape $shape): array
    {
        $tables = [];
        foreach ($this->treatment->forks as $n => $fork) {
            if ((string) $fork->landed === (string) $this->destination->table) {
                throw InvalidTreatment::of("The fork {$fork->name} lands in {$fork->landed}, which is the feed's own table.");
            }
            $further = $rows->fork($n);
            $key = $further === null ? $shape->key : $this->forkKey($further, $shape->key, $fork->name);
            $tables[$fork->name] = $this->table($fork->landed, $further?->shape($key) ?? $shape, $key, new Forks);
        }

        return $tables;
    }

    /**
     * A row is told by its key in whatever table it stands, so the key's values have to be the same in all of them.
     *
     * @param  list<string>  $key
     * @return list<string>
     *
     * @throws InvalidTreatment
     */
    private function forkKey(RowCompiler $further, array $key, string $fork): array
    {
        $names = [];
        foreach ($key as $column) {
            $own = array_values(array_filter($further->sheet, static fn (Line $l): bool => $l->from === $column && $l->steps === [] && ! $l->drop));
            if ($own === []) {
                if (! $this->destination->landing->merges()) {
                    return [];
                }
                throw InvalidTreatment::of("{$column} belongs to the key, so the fork {$fork} may rename it, but neither change nor drop it.");
            }
            $names[] = $own[0]->name();
        }

        return $names;
    }

    /** @throws InvalidTreatment where a row that goes from one table to another would leave a false trace */
    private function refuseForks(): void
    {
        if ($this->treatment->forks !== [] && $this->destination->landing->keepsVersions()) {
            throw InvalidTreatment::of('Records cannot be parted by forks where every version is kept: a row that takes another fork would end in one table without having been deleted. Use landing upsert, or append every change');
        }
    }

    /**
     * The position of a feed holds the last values of its key and watermark, and stands in the target.
     *
     * @throws InvalidTreatment
     */
    private function refuseHiddenPosition(): void
    {
        foreach ($this->kind->keepsKey() ? [...$this->origin->key, ...(array) $this->origin->watermarkColumn()] : [] as $column) {
            if ($this->treatment->hides($column)) {
                throw InvalidTreatment::of("{$column} cannot be masked, since its last value is kept as the feed's position. Choose another key or watermark, or capture reload.");
            }
        }
    }

    /** @throws InvalidTreatment where rows are told apart by a key that elements of one list would share */
    private function refuseExploding(): void
    {
        if ($this->treatment->explode === null || (! $this->kind->bringsChanges() && $this->destination->landing->repeatsKeys())) {
            return;
        }
        if (! $this->keepsElements()) {
            throw InvalidTreatment::of('A list can become rows only where a query finds its row, and not in changes or files, unless rows are appended or the table is replaced: its elements share the key of their row.');
        }
        if ($this->treatment->forks !== []) {
            throw InvalidTreatment::of('The elements of a list cannot be kept by key and parted by forks: what a list has lost could not be told. Append, or replace the table.');
        }
    }

    /** Whether elements of lists are kept by the key of their row and their place. */
    private function keepsElements(): bool
    {
        return $this->treatment->explode !== null && $this->destination->landing->merges() && ! $this->kind->bringsChanges() && $this->origin->files === null && $this->origin->key !== [];
    }

    /**
     * @param  list<Line>  $sheet
     * @return list<string>
     *
     * @throws InvalidTreatment
     */
    private function treatedKey(array $sheet): array
    {
        $key = [];
        $number = $this->keepsElements() ? [(string) $this->treatment->explode?->number] : [];
        foreach ($this->treatment->explode === null || $number !== [] ? [...$this->origin->key, ...$number] : [] as $column) {
            $own = array_values(array_filter($sheet, static fn (Line $l): bool => $l->from === $column && $l->keepsApart()));
            if ($own === []) {
                if (! $this->kind->bringsChanges() && ! $this->destination->landing->merges()) {
                    return [];
                }
                throw InvalidTreatment::of("{$column} belongs to the key, so it has to land, and different values have to stay different: rename it, or convert it to text or a wider number.");
            }
            $key[] = $own[0]->name();
        }

        return $key;
    }

    private function arriving(): Arriving
    {
        return match (true) {
            $this->kind->bringsChanges() => Arriving::Changes,
            // The same key may stand in several files.
            $this->kind->readsFiles() && $this->destination->landing->merges() => Arriving::RepeatedRows,
            default => Arriving::Rows,
        };
    }
}
