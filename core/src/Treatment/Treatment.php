<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment;

use Lighterman\Core\Shape\Shape;

/** What is done to every record of a feed on the way, and what it has to be like. */
final readonly class Treatment
{
    /**
     * @param  list<Check>  $checks
     * @param  list<WatchRule>  $watch
     * @param  Explode|null  $explode  done before anything else
     * @param  Outcome|null  $failing  what becomes of a record that cannot be treated; null while it is not stated
     * @param  list<Fork>  $forks  the first whose condition a record satisfies takes it
     * @param  Otherwise|null  $otherwise  what becomes of a record that takes no fork; null while it is not stated
     *
     * @throws InvalidTreatment
     */
    public function __construct(
        public Sheet $sheet = new Sheet,
        public array $checks = [],
        public ?Outcome $failing = null,
        public ?FailureLimit $limit = null,
        public array $watch = [],
        public ?Explode $explode = null,
        public array $forks = [],
        public ?Otherwise $otherwise = null,
    ) {
        $names = array_map(static fn (WatchRule $w): string => $w->name, $watch);
        foreach (array_diff_assoc($names, array_unique($names)) as $twice) {
            throw InvalidTreatment::of("Two things are counted as \"{$twice}\".");
        }
        foreach (['are called' => static fn (Fork $f): string => $f->name, 'land in' => static fn (Fork $f): string => (string) $f->landed] as $do => $what) {
            $said = array_map($what, $forks);
            foreach (array_diff_assoc($said, array_unique($said)) as $twice) {
                throw InvalidTreatment::of("Two forks {$do} {$twice}.");
            }
        }
    }

    public function isEmpty(): bool
    {
        return $this->sheet->isEmpty() && $this->checks === [] && $this->watch === [] && $this->explode === null && $this->forks === [];
    }

    /**
     * The columns of the records that are treated.
     *
     * @throws InvalidTreatment
     */
    public function read(Shape $carried): Shape
    {
        return $this->explode === null ? $carried : $this->explode->read($carried);
    }

    /**
     * A line for every column, in the order of landing: source columns where the source has them, what is made on the
     * way after them.
     *
     * @return list<Line>
     *
     * @throws InvalidTreatment
     */
    public function sheet(Shape $carried): array
    {
        return $this->sheet->of($this->read($carried));
    }

    /**
     * The same with some of it changed.
     *
     * @param  list<Check>|null  $checks
     * @param  list<WatchRule>|null  $watch
     * @param  list<Fork>|null  $forks
     */
    public function with(?Sheet $sheet = null, ?array $checks = null, ?array $watch = null, ?array $forks = null, ?Otherwise $otherwise = null): self
    {
        return new self($sheet ?? $this->sheet, $checks ?? $this->checks, $this->failing, $this->limit, $watch ?? $this->watch, $this->explode, $forks ?? $this->forks, $forks === [] ? null : $otherwise ?? $this->otherwise);
    }

    /** What becomes of a record that the target refuses: none is dropped for a reason that nobody has read. */
    public function refused(): Outcome
    {
        return in_array($this->failing, [Outcome::SetAside, Outcome::Drop], true) ? Outcome::SetAside : Outcome::Stop;
    }

    /** The same with another fate for records that cannot be treated. */
    public function failing(?Outcome $failing, ?FailureLimit $limit): self
    {
        return new self($this->sheet, $this->checks, $failing, $limit, $this->watch, $this->explode, $this->forks, $this->otherwise);
    }

    /**
     * The same with another list made rows, or none. The column that numbers its elements comes and goes with it.
     *
     * @throws InvalidTreatment
     */
    public function exploding(?Explode $explode): self
    {
        $number = $this->explode?->number;

        return new self(new Sheet(array_values(array_filter($this->sheet->lines, static fn (Line $l): bool => $number === null || $l->from !== $number)), $this->sheet->order), $this->checks, $this->failing, $this->limit, $this->watch, $explode, $this->forks, $this->otherwise);
    }

    /** What is done to the records that take a fork, after all else: where it fails, they fare as others do. */
    public function further(Fork $fork): self
    {
        return new self($fork->sheet, failing: $this->failing, limit: $this->limit);
    }

    /** What becomes of a record that takes no fork; without forks it lands. */
    public function elsewhere(): Otherwise
    {
        return $this->forks === [] ? Otherwise::Land : $this->otherwise ?? Otherwise::SetAside;
    }

    public function forkNamed(string $name): ?Fork
    {
        return array_column($this->forks, null, 'name')[$name] ?? null;
    }

    /**
     * Whether a source column is hidden by a mask, so that its value is not shown to everybody.
     */
    public function hides(string $column): bool
    {
        if ($this->sheet->hides($column)) {
            return true;
        }
        $names = $this->sheet->comesOf($column);

        return array_filter($this->forks, static fn (Fork $f): bool => array_filter($names, $f->sheet->hides(...)) !== []) !== [];
    }

    /** Whether a fork masks what comes out of the feed's own sheet under a name, so that it lands there only. */
    public function hidesFurther(string $name): bool
    {
        return array_filter($this->forks, static fn (Fork $f): bool => $f->sheet->hides($name)) !== [];
    }

    /** @throws InvalidTreatment if an outcome is not stated */
    public function demandOutcomes(): void
    {
        if ($this->isEmpty()) {
            return;
        }
        if ($this->failing === null || $this->failing === Outcome::Warn) {
            throw InvalidTreatment::of('It is not stated what becomes of a record that cannot be treated: set it aside, drop it, or stop the feed.');
        }
        foreach ($this->checks as $check) {
            if ($check->else === null) {
                throw InvalidTreatment::of("It is not stated what becomes of a record that does not {$check->sentence()}: set it aside, drop it, warn, or stop the feed.");
            }
        }
        if ($this->forks !== [] && $this->otherwise === null) {
            throw InvalidTreatment::of('It is not stated what becomes of a record that takes no fork: land it in the feed\'s own table, set it aside, or drop it.');
        }
    }

    /** @return array<string, mixed> only what is set */
    public function toArray(): array
    {
        return array_filter([
            'explode' => $this->explode?->toArray(),
            ...$this->sheet->toArray(),
            'checks' => array_map(static fn (Check $c): array => $c->toArray(), $this->checks) ?: null,
            'watch' => array_map(static fn (WatchRule $w): array => $w->toArray(), $this->watch) ?: null,
            'forks' => array_map(static fn (Fork $f): array => $f->toArray(), $this->forks) ?: null,
            'otherwise' => $this->otherwise?->value,
            'failing' => $this->failing?->value,
            'limit' => $this->limit?->toArray(),
        ], static fn (mixed $v): bool => $v !== null);
    }

    /**
     * @param  array<string, mixed>  $data
     *
     * @throws InvalidTreatment
     */
    public static function fromArray(array $data): self
    {
        return new self(
            Sheet::fromArray($data),
            array_values(array_map(static fn (mixed $c): Check => Check::fromArray((array) $c), (array) ($data['checks'] ?? []))),
            Outcome::tryFrom((string) ($data['failing'] ?? '')),
            FailureLimit::fromArray($data['limit'] ?? null),
            array_values(array_map(static fn (mixed $w): WatchRule => WatchRule::fromArray((array) $w), (array) ($data['watch'] ?? []))),
            Explode::fromArray($data['explode'] ?? null),
            array_values(array_map(static fn (mixed $f): Fork => Fork::fromArray((array) $f), (array) ($data['forks'] ?? []))),
            Otherwise::tryFrom((string) ($data['otherwise'] ?? '')),
        );
    }
}
