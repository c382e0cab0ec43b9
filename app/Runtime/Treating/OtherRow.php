<?php

declare(strict_types=1);

namespace App\Runtime\Treating;

use App\Models\SetAside;
use Lighterman\Core\Carrying\LandsAs;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Port\TargetSystem;
use Lighterman\Core\Record\Unwritable;
use Lighterman\Core\Treatment\Treater;
use Lighterman\Core\Treatment\Value\Fault;

/** A record whose key was edited is another row's now, of which a newer version may have landed; that is never written over. */
final readonly class OtherRow
{
    public function __construct(private FeedDefinition $definition, private ?Treater $treater, private TargetSystem $target)
    {
    }

    /** @param  list<string|false|null>  $raw  as it is to be sent */
    public function refuses(SetAside $record, array $raw): ?Unwritable
    {
        if (! $record->edited || ! $this->definition->destination->landing->merges() || AsideBook::keyHash($this->definition, $raw) === $record->key_hash) {
            return null;
        }
        try {
            $records = $this->treater?->explosion->again($raw) ?? [$raw];
        } catch (Fault) {
            // It fails again, and is told why when it is treated.
            return null;
        }
        foreach ($records as $record) {
            $lands = LandsAs::of($this->treater, $this->definition->landedTable(), $record);
            $key = $lands?->key() ?? [];
            if ($lands !== null && $key !== [] && $this->target->row($lands->table->name, $key) !== null) {
                return Unwritable::keyTaken(implode(', ', $this->definition->origin->key));
            }
        }

        return null;
    }
}
