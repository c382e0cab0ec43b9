<?php

declare(strict_types=1);

namespace Lighterman\Core\Definition;

use InvalidArgumentException;
use Lighterman\Core\Capture\Capture;
use Lighterman\Core\Capture\FileReading;
use Lighterman\Core\Capture\Kind\CaptureKind;
use Lighterman\Core\Capture\Kind\Chosen;
use Lighterman\Core\Capture\Kind\ChosenWatermark;
use Lighterman\Core\Capture\Kind\Kinds;
use Lighterman\Core\Capture\WatermarkMode;
use Lighterman\Core\Landing\Deletes;
use Lighterman\Core\Landing\FileWriting;
use Lighterman\Core\Landing\LandedTable;
use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Landing\Partition;
use Lighterman\Core\Landing\Truncates;
use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Shape\TypeKind;
use Lighterman\Core\Treatment\InvalidTreatment;
use Lighterman\Core\Treatment\Line;
use Lighterman\Core\Treatment\Otherwise;
use Lighterman\Core\Treatment\RowCompiler;
use Lighterman\Core\Treatment\Treatment;
use Lighterman\Core\Trouble\InvalidDefinition;

/** One immutable version of how a feed is carried. Construction checks that it can be carried out at all. */
final readonly class FeedDefinition
{
    private LandedTable $landedTable;

    /**
     * @param  Shape  $shape  the source table's shape as it was agreed
     * @param  list<string>  $key  columns that tell rows apart; may be empty only for a reload that is appended or replaces
     * @param  string|null  $watermark  column, for capture `watermark`
     * @param  bool  $watermarkUnique  whether no two rows share a watermark value (numbers only)
     * @param  int  $overlap  re-read before each window: seconds for moments, units for numbers, days for dates
     * @param  list<string>  $leaveOut  source columns not carried
     * @param  string|null  $deliveredAt  landed column stamped with the time of delivery; null for none
     * @param  string|null  $sourcePosition  landed column stamped with the position the row's batch led to; null for none
     * @param  int  $promiseSeconds  the most the feed may be behind
     * @param  bool  $takeOver  whether a landed table that Lighterman did not create, and that has rows, may be written to
     * @param  Deletes  $deletes  what a captured delete does, for landing `upsert`
     * @param  Truncates  $truncates  what happens when a captured table is emptied at once
     * @param  list<Partition>  $partitionBy  folders that the landed files are parted into; only for targets that keep files
     * @param  Treatment  $treatment  what is done to every record on the way, and what it has to be like
     * @param  FileReading|null  $files  how the source's files are read, where it keeps files; null elsewhere
     * @param  FileWriting  $writing  how landed files are written; only for targets that keep files
     *
     * @throws InvalidDefinition
     */
    public function __construct(
        public string $name,
        public TableName $source,
        public Shape $shape,
        public Capture $capture,
        public array $key,
        public Landing $landing,
        public TableName $landed,
        public ?string $watermark = null,
        public bool $watermarkUnique = false,
        public int $overlap = 0,
        public array $leaveOut = [],
        public ?string $deliveredAt = 'delivered_at',
        public ?string $sourcePosition = 'source_position',
        public Schedule $schedule = new Schedule,
        public int $promiseSeconds = 900,
        public bool $takeOver = false,
        public Deletes $deletes = Deletes::Apply,
        public Truncates $truncates = Truncates::Hold,
        public Treatment $treatment = new Treatment,
        public array $partitionBy = [],
        public ?FileReading $files = null,
        public FileWriting $writing = new FileWriting,
    ) {
        $this->checkColumns();
        $this->landedTable = $this->compileLanded();
        $this->checkStamps();
        $this->checkPartitions();
        $this->checkCapture();
        $this->checkLanding();
        if ($promiseSeconds < 1 || $promiseSeconds > 31_536_000) {
            throw InvalidDefinition::at("{$name}: promise_seconds", "{$promiseSeconds} is not between 1 s and a year", 'Give a number of seconds in that span.');
        }
        if (! preg_match('/^[^\s\/?#][^\/?#]{0,118}$/u', $name)) {
            throw InvalidDefinition::at('name', "\"{$name}\" cannot name a feed", 'Use 1 to 119 characters without / ? and #.');
        }
    }

    public function kind(): CaptureKind
    {
        return Kinds::of($this->capture);
    }

    public function chosen(): Chosen
    {
        return new Chosen($this->name, $this->landing, $this->key, $this->shape, $this->deletes, $this->watermark === null ? null : new ChosenWatermark($this->watermark, $this->watermarkUnique), $this->overlap, $this->files);
    }

    /** The columns that are carried, in order. */
    public function carried(): Shape
    {
        $computed = $this->kind()->carriesComputed() ? [] : array_filter($this->shape->columns, static fn (Column $c): bool => $c->generated);

        return $this->shape->without([...$this->leaveOut, ...array_map(static fn (Column $c): string => $c->name, array_values($computed))]);
    }

    /** Null for a capture without a watermark. */
    public function watermarkMode(): ?WatermarkMode
    {
        return $this->chosen()->mode();
    }

    /** @return array<string, string|null> stamped column name by what it holds, only those wanted */
    public function stamps(): array
    {
        return array_filter(['delivered_at' => $this->deliveredAt, 'source_position' => $this->sourcePosition], static fn (?string $n): bool => $n !== null);
    }

    public function landedTable(): LandedTable
    {
        return $this->landedTable;
    }

    /** @throws InvalidDefinition */
    private function compileLanded(): LandedTable
    {
        $read = $this->carried();
        $shape = new Shape($read->columns, $this->key);
        $key = $this->key;
        if (! $this->treatment->isEmpty()) {
            try {
                $this->treatment->demandOutcomes();
                $rows = new RowCompiler($read, $this->treatment, static fn (): string => str_repeat("\0", 32));
                $rows->demandFlawless();
                $this->refuseHiddenPosition();
                $this->refuseExploding();
                $this->refuseForks();
                $key = $this->treatedKey($rows->sheet);
                $shape = $rows->shape($key);
                $forks = $this->forks($rows, $shape);
            } catch (InvalidTreatment $e) {
                throw InvalidDefinition::at("{$this->name}: treatment", rtrim(lcfirst($e->getMessage()), '.'), 'Change it on the feed\'s columns or checks.');
            }
        }

        return $this->table($this->landed, $shape, $key, $forks ?? [], $this->treatment->elsewhere() === Otherwise::Land);
    }

    /**
     * @param  list<string>  $key
     * @param  array<string, LandedTable>  $forks
     */
    private function table(TableName $name, Shape $shape, array $key, array $forks = [], bool $takesRest = true): LandedTable
    {
        return new LandedTable($name, $shape, $key, $this->landing, $this->kind()->bringsChanges(), $this->deletes, array_map(static fn (?string $n): string => (string) $n, $this->stamps()), $this->takeOver, $this->source, $forks, $takesRest, $this->partitionBy, $this->kind()->readsFiles() && $this->landing === Landing::Upsert, $this->writing);
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
            if ((string) $fork->landed === (string) $this->landed) {
                throw InvalidTreatment::of("The fork {$fork->name} lands in {$fork->landed}, which is the feed's own table.");
            }
            $further = $rows->fork($n);
            $key = $further === null ? $shape->key : $this->forkKey($further, $shape->key, $fork->name);
            $tables[$fork->name] = $this->table($fork->landed, $further?->shape($key) ?? $shape, $key);
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
                if ($this->landing !== Landing::Upsert) {
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
        if ($this->treatment->forks !== [] && $this->landing === Landing::Versions) {
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
        foreach ($this->kind()->keepsKey() ? [...$this->key, ...(array) $this->watermark] : [] as $column) {
            if ($this->treatment->hides($column)) {
                throw InvalidTreatment::of("{$column} cannot be masked, since its last value is kept as the feed's position. Choose another key or watermark, or capture reload.");
            }
        }
    }

    /** @throws InvalidTreatment where rows are told apart by a key that elements of one list would share */
    private function refuseExploding(): void
    {
        if ($this->treatment->explode !== null && ($this->kind()->bringsChanges() || ! in_array($this->landing, [Landing::Append, Landing::Replace], true))) {
            throw InvalidTreatment::of('A list can become rows only where rows are appended or the table is replaced, since its elements share the key of their row.');
        }
    }

    /** The columns of the records that are treated: those carried, unless a list becomes rows. */
    public function treated(): Shape
    {
        return $this->treatment->read($this->carried());
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
        foreach ($this->treatment->explode === null ? $this->key : [] as $column) {
            $own = array_values(array_filter($sheet, static fn (Line $l): bool => $l->from === $column && $l->keepsApart()));
            if ($own === []) {
                if (! $this->kind()->bringsChanges() && $this->landing !== Landing::Upsert) {
                    return [];
                }
                throw InvalidTreatment::of("{$column} belongs to the key, so it has to land, and different values have to stay different: rename it, or convert it to text or a wider number.");
            }
            $key[] = $own[0]->name();
        }

        return $key;
    }

    private function checkColumns(): void
    {
        $known = $this->shape->names();
        foreach (['key' => $this->key, 'leave_out' => $this->leaveOut, 'watermark' => (array) $this->watermark] as $place => $columns) {
            foreach (array_diff($columns, $known) as $unknown) {
                throw InvalidDefinition::at("{$this->name}: {$place}", "{$this->source} has no column \"{$unknown}\"", 'Its columns are '.implode(', ', $known).'.');
            }
        }
        foreach (array_intersect($this->leaveOut, [...$this->key, ...(array) $this->watermark]) as $needed) {
            throw InvalidDefinition::at("{$this->name}: leave_out", "\"{$needed}\" is the key or the watermark", 'Carry it, or choose another key or watermark.');
        }
        foreach ($this->carried()->columns as $column) {
            if ($column->type->kind === TypeKind::Unmappable) {
                throw InvalidDefinition::at("{$this->name}: {$column->name}", "column {$column->name} of {$this->source} is of type {$column->type}, which cannot be carried", "Leave the column out (leave_out: [{$column->name}]), or have the source offer it through a view as text.");
            }
        }
    }

    private function checkStamps(): void
    {
        $stamps = array_values(array_map(static fn (Column $c): string => $c->name, $this->landedTable->technical()));
        $landed = array_merge(...array_values(array_map(static fn (LandedTable $t): array => $t->shape->names(), ['' => $this->landedTable] + $this->landedTable->forks)));
        foreach (array_intersect($stamps, $landed) as $taken) {
            throw InvalidDefinition::at("{$this->name}: stamps", "the column \"{$taken}\" that the landing adds has the name of a landed column", 'Name the stamp differently or set it to null, or leave the column out.');
        }
        if (count($stamps) !== count(array_unique($stamps))) {
            throw InvalidDefinition::at("{$this->name}: stamps", 'both stamps have the same name', 'Name them differently.');
        }
        foreach ($this->treatment->checks as $check) {
            if ($check->kind === 'unique' && $this->kind()->bringsChanges()) {
                throw InvalidDefinition::at("{$this->name}: checks", 'a row may rightly come many times in a batch of changes, so nothing can be unique in it', 'Leave the check out, or use capture watermark or reload.');
            }
        }
    }

    private function checkPartitions(): void
    {
        foreach ($this->landedTable->tables() as $table) {
            $columns = array_column($table->columns(), null, 'name');
            foreach ($this->partitionBy as $partition) {
                $column = $columns[$partition->column] ?? throw InvalidDefinition::at("{$this->name}: partition_by", "{$table->name} has no column \"{$partition->column}\"", 'Its columns are '.implode(', ', array_keys($columns)).'.');
                if (! $partition->fits($column->type)) {
                    throw InvalidDefinition::at("{$this->name}: partition_by", "{$partition->column} is {$column->type}, which cannot be parted by ".($partition->part ?? 'its values'), $partition->part === null ? 'Choose a column of plain values.' : 'Choose a column of dates or moments, or its values themselves.');
                }
                if ($partition->part !== null && isset($columns[$partition->name()])) {
                    throw InvalidDefinition::at("{$this->name}: partition_by", "the folders of {$partition} would be called {$partition->name()}, as a column is", 'Rename the column on the feed\'s sheet.');
                }
            }
        }
    }

    private function checkCapture(): void
    {
        foreach ($this->files?->ownColumns() ?? [] as $column) {
            if ($this->shape->column($column) === null) {
                throw InvalidDefinition::at("{$this->name}: files", "the shape has no column \"{$column}\" for what is known of the file", 'Add it, or name none.');
            }
        }
        $this->kind()->check($this->chosen());
    }

    private function checkLanding(): void
    {
        if ($this->landing === Landing::Upsert && $this->key === []) {
            throw InvalidDefinition::at("{$this->name}: key", 'landing upsert needs a key', 'Name the columns that tell rows apart, or use landing replace.');
        }
    }

    /** @return array<string, mixed> */
    public function toArray(): array
    {
        return [
            'name' => $this->name,
            'table' => (string) $this->source,
            'shape' => $this->shape->toArray(),
            'capture' => $this->capture->value,
            'watermark' => $this->watermark,
            'watermark_unique' => $this->watermarkUnique,
            'overlap' => $this->overlap,
            'key' => $this->key,
            'landing' => $this->landing->value,
            'landed' => (string) $this->landed,
            'leave_out' => $this->leaveOut,
            'stamps' => ['delivered_at' => $this->deliveredAt, 'source_position' => $this->sourcePosition],
            'schedule' => $this->schedule->toArray(),
            'promise_seconds' => $this->promiseSeconds,
            'take_over' => $this->takeOver,
        ] + ($this->kind()->bringsChanges() ? ['deletes' => $this->deletes->value, 'truncates' => $this->truncates->value] : [])
            + ($this->files === null ? [] : ['files' => $this->files->toArray()])
            + ($this->partitionBy === [] ? [] : ['partition_by' => array_map(strval(...), $this->partitionBy)])
            + ($this->writing->toArray() === [] ? [] : ['write_as' => $this->writing->toArray()])
            + ($this->treatment->toArray() === [] ? [] : ['treatment' => $this->treatment->toArray()]);
    }

    /**
     * @param  array<string, mixed>  $data  as toArray() gives it
     *
     * @throws InvalidDefinition
     */
    public static function fromArray(array $data): self
    {
        return new self(
            $data['name'],
            TableName::parse($data['table']),
            Shape::fromArray($data['shape']),
            Capture::from($data['capture']),
            $data['key'] ?? [],
            Landing::from($data['landing']),
            TableName::parse($data['landed']),
            $data['watermark'] ?? null,
            $data['watermark_unique'] ?? false,
            $data['overlap'] ?? 0,
            $data['leave_out'] ?? [],
            array_key_exists('delivered_at', $data['stamps'] ?? []) ? $data['stamps']['delivered_at'] : 'delivered_at',
            array_key_exists('source_position', $data['stamps'] ?? []) ? $data['stamps']['source_position'] : 'source_position',
            Schedule::fromArray($data['schedule'] ?? []),
            $data['promise_seconds'] ?? 900,
            $data['take_over'] ?? false,
            Deletes::from($data['deletes'] ?? Deletes::Apply->value),
            Truncates::from($data['truncates'] ?? Truncates::Hold->value),
            self::treatment($data['name'], $data['treatment'] ?? []),
            self::partitions($data['name'], $data['partition_by'] ?? []),
            isset($data['files']) ? self::files($data['name'], $data['files']) : null,
            self::writing($data['name'], $data['write_as'] ?? []),
        );
    }

    /**
     * @param  list<string>  $said  as Partition::parse() reads them
     * @return list<Partition>
     *
     * @throws InvalidDefinition
     */
    public static function partitions(string $name, array $said): array
    {
        try {
            return Partition::all($said);
        } catch (InvalidArgumentException $e) {
            throw InvalidDefinition::at("{$name}: partition_by", lcfirst($e->getMessage()), 'docs/guide/lake.md tells what can be written.');
        }
    }

    /**
     * @param  array<string, mixed>  $data  as FileWriting::toArray() gives it
     *
     * @throws InvalidDefinition
     */
    public static function writing(string $name, array $data): FileWriting
    {
        try {
            return FileWriting::fromArray($data);
        } catch (InvalidArgumentException $e) {
            throw InvalidDefinition::at("{$name}: write_as", rtrim(lcfirst($e->getMessage()), '.'), 'docs/guide/lake.md tells what can be written.');
        }
    }

    /**
     * @param  array<string, mixed>  $data
     *
     * @throws InvalidDefinition
     */
    private static function files(string $name, array $data): FileReading
    {
        try {
            return FileReading::fromArray($data);
        } catch (InvalidArgumentException $e) {
            throw InvalidDefinition::at("{$name}: files", rtrim(lcfirst($e->getMessage()), '.'), 'Change it, then try again.');
        }
    }

    /**
     * @param  array<string, mixed>  $data
     *
     * @throws InvalidDefinition
     */
    private static function treatment(string $name, array $data): Treatment
    {
        try {
            return Treatment::fromArray($data);
        } catch (InvalidTreatment $e) {
            throw InvalidDefinition::at("{$name}: treatment", rtrim(lcfirst($e->getMessage()), '.'), 'Change it, then try again.');
        }
    }
}
