<?php

declare(strict_types=1);

namespace Lighterman\Core\Capture;

use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Shape\TypeKind;

/** Judges watermarks and keys by what was found in the table, and suggests how to capture it. */
final readonly class Advice
{
    /** Tables smaller than this are cheap to read whole; a wrong watermark would cost more than it saves. */
    private const SMALL = 5000;

    public function __construct(private TableFacts $facts)
    {
    }

    public function watermark(string $name): Verdict
    {
        $column = $this->facts->shape->column($name);
        if ($column === null) {
            return new Verdict('refused', ["The table has no column {$name}."]);
        }
        if (! $column->type->kind->canBeWatermark()) {
            return new Verdict('refused', [$column->type->kind->isText()
                ? "{$name} is text: \"9\" comes after \"10\", so rows would be skipped."
                : "{$name} is {$column->type}, whose values do not grow with time."]);
        }
        $facts = $this->facts->columns[$name] ?? null;
        if ($facts === null) {
            return new Verdict('fine', []);
        }
        $reasons = [...$this->missed($facts), ...$this->price($facts)];

        return new Verdict($reasons ? 'warned' : 'fine', $reasons);
    }

    /** @return list<string> rows the watermark would not bring */
    private function missed(ColumnFacts $facts): array
    {
        $name = $facts->column->name;
        $said = [];
        if ($facts->nulls > 0) {
            $about = $this->facts->count->counted ? '' : 'About ';
            $said[] = $about.self::rows($facts->nulls)." without {$name} would never be carried.";
        } elseif ($facts->column->nullable) {
            $said[] = "{$name} may be null; no row is so far, but one would never be carried.";
        }
        if ($facts->insertOnly && $this->facts->count->updates) {
            $said[] = "{$name} is given once, at insert: updates would be missed (".self::rows($this->facts->count->updates).' updated since statistics were reset).';
        } elseif ($facts->outrun !== null) {
            $said[] = "{$name} is set once: in {$facts->outrun->rows} of {$this->facts->count->lookedAt} rows looked at, {$facts->outrun->by} is later. Updates would be missed.";
        }
        if ($facts->ahead > 0) {
            $said[] = self::rows($facts->ahead)." have {$name} in the future and would wait until then.";
        }
        if ($facts->sequenceCache > 1) {
            $said[] = "Sessions of the source reserve {$facts->sequenceCache} values of {$name} at once, so smaller ones may be committed late; set an overlap of at least that many.";
        }

        return $said;
    }

    /** @return list<string> what each run would cost for want of an index */
    private function price(ColumnFacts $facts): array
    {
        return $facts->indexed || $this->facts->count->rows < 1000
            ? []
            : ["No index begins with {$facts->column->name}: every run would read all ".self::rows($this->facts->count->rows).'.'];
    }

    public function key(): Verdict
    {
        $words = implode(', ', $this->facts->key->columns);

        return match (true) {
            $this->facts->key->columns === [] && $this->facts->files !== null => new Verdict('fine', []),
            $this->facts->key->columns === [] => new Verdict('warned', ['The table has no primary key. Choose columns that tell rows apart, or reload it whole.']),
            $this->facts->key->duplicate !== null => new Verdict('refused', ["({$words}) does not tell rows apart: more than one row has ".self::values($this->facts->key->duplicate).'. Rows would overwrite each other.']),
            $this->facts->key->nullable !== [] => new Verdict('refused', [implode(', ', $this->facts->key->nullable).' is null in some rows, so they could not be told apart.']),
            $this->facts->key->columns === $this->facts->shape->key => new Verdict('fine', ['It is the primary key.']),
            default => new Verdict('fine', ["No two rows share ({$words})".($this->facts->count->counted ? '.' : ' among those looked at.')]),
        };
    }

    public function suggestion(): Suggestion
    {
        if ($this->facts->files !== null) {
            return $this->filesSuggestion();
        }
        $best = $this->bestWatermark();
        $key = $this->key()->result === 'refused' ? [] : $this->facts->key->columns;
        if ($best === null || $key === []) {
            return new Suggestion(Capture::Reload, null, $key, Landing::Replace, [
                $key === [] ? 'There is no key that tells rows apart, so only a whole reload is safe.' : 'No column grows with every change, so only a whole reload sees all of them.',
            ]);
        }
        $verdict = $this->watermark($best->column->name);
        $loses = $best->nulls > 0 || $best->outrun !== null || ($best->insertOnly && $this->facts->count->updates);
        if ($loses && $this->facts->count->rows < self::SMALL) {
            return new Suggestion(Capture::Reload, null, $key, Landing::Replace, [
                ...$verdict->reasons, 'With '.self::rows($this->facts->count->rows).' a reload is cheap and misses nothing.',
            ]);
        }
        $landing = $best->insertOnly && ! $this->facts->count->updates ? Landing::Append : Landing::Upsert;

        return new Suggestion(Capture::Watermark, $best->column->name, $key, $landing, $verdict->reasons ?: [
            $landing->adds() ? "{$best->column->name} grows with every row, and rows are never updated." : "{$best->column->name} is indexed, never null, and later than every other moment in the row.",
        ]);
    }

    private function filesSuggestion(): Suggestion
    {
        $key = $this->key()->result === 'refused' ? [] : $this->facts->key->columns;

        return new Suggestion(Capture::Files, null, $key, $key === [] ? Landing::Append : Landing::Upsert, [$key === []
            ? 'Every file is taken once, and its rows are added. Where later files correct earlier ones, name a key and use upsert.'
            : 'Every file is taken once; a row with a key that is there takes the earlier one\'s place.']);
    }

    private function bestWatermark(): ?ColumnFacts
    {
        $ranked = array_filter($this->facts->columns, static fn (ColumnFacts $f): bool => $f->insertOnly || $f->column->type->kind->isMoment());
        // A moment that moves with updates first; then whatever loses the fewest rows, then what an index makes cheap.
        usort($ranked, fn (ColumnFacts $a, ColumnFacts $b): int => $this->loss($a) <=> $this->loss($b));

        return $ranked[0] ?? null;
    }

    /** @return list<int> smaller is better */
    private function loss(ColumnFacts $facts): array
    {
        return [
            (int) ($facts->outrun !== null || ($facts->insertOnly && $this->facts->count->updates)),
            $facts->nulls,
            (int) ! $facts->indexed,
            (int) ! $facts->column->type->kind->isMoment(),
            $facts->column->type->kind === TypeKind::TimestampTz ? 0 : 1,
        ];
    }

    private static function rows(int $n): string
    {
        return number_format($n, 0, '.', "\u{202F}").($n === 1 ? ' row' : ' rows');
    }

    /** @param  array<string, string>  $values */
    private static function values(array $values): string
    {
        return implode(', ', array_map(static fn (string $c, string $v): string => "{$c} = {$v}", array_keys($values), $values));
    }
}
