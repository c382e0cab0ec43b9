<?php

declare(strict_types=1);

namespace Lighterman\Core\Carrying;

use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Format\CopyText;
use Lighterman\Core\Landing\KeyOf;
use Lighterman\Core\Landing\LandedTable;
use Lighterman\Core\Treatment\Fork;
use Lighterman\Core\Treatment\Treated;
use Lighterman\Core\Treatment\Treater;
use Lighterman\Core\Treatment\Value\Fault;

/** What has to leave a landed table because of what rows have become. */
final readonly class Leaving
{
    private LandedTable $table;

    public function __construct(private FeedDefinition $definition, private ?Treater $treater)
    {
        $this->table = $definition->landedTable();
    }

    /**
     * @param  string  $encoded  lines of the rows as they were read
     * @return string lines of keys: of the last elements where lists become rows, else of what a choice keeps out
     */
    public function keys(Treated $treated, string $encoded): string
    {
        return $this->table->place === null ? $this->dropped($treated) : $this->ends($encoded);
    }

    /** Keys of the records that a choice keeps out, since they take no fork: what landed of them before has to go. */
    public function dropped(Treated $treated): string
    {
        $dropped = $treated->landed[Fork::DROPPED] ?? '';
        if ($dropped === '' || ! $this->definition->destination->landing->merges()) {
            return '';
        }
        $key = KeyOf::columns($this->table->shape->names(), $this->table->key);

        return implode('', array_map(static function (string $line) use ($key): string {
            $fields = explode("\t", $line);

            return implode("\t", array_map(static fn (int $at): string => $fields[$at], $key->places))."\n";
        }, explode("\n", substr($dropped, 0, -1))));
    }

    /** Keys of the last elements of the lists that rows hold: what comes after them has to go. One that cannot be read tells of none. */
    private function ends(string $encoded): string
    {
        $ends = '';
        $key = KeyOf::columns($this->definition->carried()->names(), $this->definition->origin->key);
        foreach ($encoded === '' ? [] : explode("\n", substr($encoded, 0, -1)) as $line) {
            try {
                $records = $this->treater?->explosion->records(CopyText::row($line)) ?? [];
            } catch (Fault) {
                continue;
            }
            $fields = explode("\t", $line);
            $last = $records === [] ? [] : $records[count($records) - 1];
            $ends .= implode("\t", [...array_map(static fn (int $at): string => $fields[$at], $key->places), (string) end($last)])."\n";
        }

        return $ends;
    }
}
