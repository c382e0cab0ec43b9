<?php

declare(strict_types=1);

namespace App\Feeds;

use App\Models\Feed;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Treatment\Fork;
use Lighterman\Core\Treatment\InvalidTreatment;
use Lighterman\Core\Treatment\Line;
use Lighterman\Core\Treatment\Reach;
use Lighterman\Core\Treatment\RowCompiler;
use Lighterman\Core\Treatment\Sheet;
use Lighterman\Core\Treatment\Treatment;

/** A sheet that is being edited: the feed's own, or that of one of its forks, which reads what comes out of the feed's own. */
final readonly class EditedSheet
{
    /**
     * @param  Treatment  $whole  all that is done to the feed's records
     * @param  Fork|null  $fork  null for the feed's own sheet
     * @param  Treatment  $treatment  what is done on this sheet
     * @param  Shape  $carried  the columns that it begins with
     */
    private function __construct(public Feed $feed, public FeedDefinition $definition, public Treatment $whole, public ?Fork $fork, public Treatment $treatment, public Shape $carried)
    {
    }

    /** @throws InvalidTreatment if there is no such fork */
    public static function of(Feed $feed, string $fork = ''): self
    {
        $definition = $feed->definition->parsed();
        $whole = DraftBook::treatment($feed);
        if ($fork === '') {
            return new self($feed, $definition, $whole, null, $whole, $definition->carried());
        }
        $named = $whole->forkNamed($fork) ?? throw InvalidTreatment::of("The feed has no fork \"{$fork}\"; it may have been changed meanwhile.");

        return new self($feed, $definition, $whole, $named, $whole->further($named), self::comesOut($definition, $whole));
    }

    /** What comes out of the feed's own sheet, with the key as it is named there. */
    public static function comesOut(FeedDefinition $definition, Treatment $whole): Shape
    {
        $rows = new RowCompiler($definition->carried(), $whole, new Reach(static fn (): string => str_repeat("\0", 32)));
        $key = [];
        foreach ($rows->sheet as $line) {
            if (in_array($line->from, $definition->origin->key, true) && ! $line->drop) {
                $key[] = $line->name();
            }
        }

        return $rows->shape($key);
    }

    /** @return list<string> columns that tell records apart */
    public function key(): array
    {
        return $this->fork === null ? $this->definition->origin->key : $this->carried->key;
    }

    /** Whether a mask hides a column that the sheet begins with, so that its value is not shown to everybody. */
    public function hides(string $column): bool
    {
        return $this->fork === null ? $this->whole->hides($column) : $this->whole->hidesFurther($column);
    }

    public function forkName(): string
    {
        return $this->fork === null ? '' : $this->fork->name;
    }

    /** The number of the fork; null for the feed's own sheet. */
    public function number(): ?int
    {
        return $this->fork === null ? null : (int) array_search($this->fork, $this->whole->forks, true);
    }

    /** The table that the records of this sheet land in. */
    public function lands(): string
    {
        return (string) ($this->fork->landed ?? $this->definition->destination->table);
    }

    /**
     * @return list<Line>
     *
     * @throws InvalidTreatment
     */
    public function lines(): array
    {
        return $this->treatment->sheet($this->carried);
    }

    /** @param  list<Line>  $lines */
    public function keep(array $lines, bool $reordered = false): void
    {
        $order = $this->treatment->sheet->order === [] && ! $reordered ? [] : array_values(array_map(static fn (Line $l): string => $l->name(), array_filter($lines, static fn (Line $l): bool => ! $l->drop)));
        $sheet = new Sheet($lines, $order);
        DraftBook::keep($this->feed, $this->fork === null
            ? $this->whole->with(sheet: $sheet)
            : $this->whole->with(forks: array_map(fn (Fork $f): Fork => $f === $this->fork ? $f->with($sheet) : $f, $this->whole->forks)));
    }

    /** What is done before this sheet, with which fork each record takes. */
    public function before(): Treatment
    {
        return $this->whole->with(forks: array_map(static fn (Fork $f): Fork => $f->with(new Sheet), $this->whole->forks));
    }
}
