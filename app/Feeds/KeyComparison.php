<?php

declare(strict_types=1);

namespace App\Feeds;

use App\Models\Feed;
use App\Runtime\Common\Systems;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Landing\LandedTable;

/** One row by its key at the source, and as it landed. */
final readonly class KeyComparison
{
    /**
     * @param  string|null  $table  the landed table it was found in
     * @param  array<string, string|null>|null  $source
     * @param  array<string, string|null>|null  $landed
     * @param  list<array{from: string|null, as: string|null, treated: bool, hidden: bool}>  $columns  how columns become landed ones
     */
    private function __construct(public ?string $table, public ?array $source, public ?array $landed, public array $columns)
    {
    }

    /** @param  array<string, string>  $key  of the source */
    public static function of(Feed $feed, FeedDefinition $definition, array $key, Systems $systems): self
    {
        $source = $systems->source($feed->route->source)->row($definition, $key);
        $target = $systems->target($feed->route->target);
        foreach ($definition->landedTable()->tables() as $fork => $table) {
            // A feed that lands its rows without their key has nothing to find them by.
            $landed = count($table->key) === count($key) ? $target->row($table->name, array_combine($table->key, self::inOrder($definition, $key))) : null;
            if ($landed !== null) {
                return new self((string) $table->name, $source, $landed, self::columns($definition, $fork, $table));
            }
        }

        return new self(null, $source, null, self::columns($definition, '', $definition->landedTable()));
    }

    /**
     * @param  array<string, string>  $key
     * @return list<string>
     */
    private static function inOrder(FeedDefinition $definition, array $key): array
    {
        return array_map(static fn (string $column): string => $key[$column], $definition->origin->key);
    }

    /** @return list<array{from: string|null, as: string|null, treated: bool, hidden: bool}> */
    private static function columns(FeedDefinition $definition, string $fork, LandedTable $table): array
    {
        $treatment = $definition->treatment;
        $further = [];
        foreach ($treatment->forkNamed($fork)->sheet->lines ?? [] as $line) {
            $further[$line->from ?? ''][] = $line;
        }
        $columns = [];
        foreach ($treatment->sheet($definition->carried()) as $line) {
            foreach ($further[$line->name()] ?? [null] as $then) {
                $name = $then === null ? $line->name() : $then->name();
                $columns[] = ['from' => $line->from, 'as' => $line->drop || ($then !== null && $then->drop) ? null : $name, 'treated' => $line->steps !== [] || ($then !== null && $then->steps !== []), 'hidden' => $line->from !== null && $treatment->hides($line->from)];
            }
        }
        foreach ($further[''] ?? [] as $line) {
            $columns[] = ['from' => null, 'as' => $line->name(), 'treated' => true, 'hidden' => false];
        }
        foreach ($table->as->stamps->wanted() as $stamp) {
            $columns[] = ['from' => null, 'as' => $stamp, 'treated' => true, 'hidden' => false];
        }

        return $columns;
    }

    /** Whether a column that is carried as it is differs. */
    public function differs(int $column): bool
    {
        ['from' => $from, 'as' => $as, 'treated' => $treated] = $this->columns[$column];

        return $from !== null && $as !== null && ! $treated && ($this->source === null || $this->landed === null || ($this->source[$from] ?? null) !== ($this->landed[$as] ?? null));
    }
}
