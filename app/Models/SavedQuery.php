<?php

declare(strict_types=1);

namespace App\Models;

use Illuminate\Database\Eloquent\Relations\BelongsTo;
use Illuminate\Support\Carbon;

/**
 * A query that somebody keeps under a name, for everybody to run.
 *
 * @property int $id
 * @property string $name
 * @property string $target
 * @property string $sql
 * @property int $person_id
 * @property Carbon|null $created_at
 * @property Carbon|null $updated_at
 * @property-read Person $person
 */
final class SavedQuery extends Record
{
    /** @return BelongsTo<Person, $this> */
    public function person(): BelongsTo
    {
        return $this->belongsTo(Person::class);
    }
}
