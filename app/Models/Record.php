<?php

declare(strict_types=1);

namespace App\Models;

use Carbon\CarbonImmutable;
use Illuminate\Database\Eloquent\Builder;
use Illuminate\Database\Eloquent\Model;

/**
 * What all our tables have in common: times in UTC with microseconds, and attributes set by name in our own code only.
 *
 * @mixin Builder<static>
 */
abstract class Record extends Model
{
    protected $dateFormat = 'Y-m-d H:i:s.uP';

    protected $guarded = [];

    /** Moments are read without the framework's detours, which took ten times as long: a page reads hundreds of them. */
    protected function castAttribute($key, $value): mixed
    {
        return is_string($value) && $this->getCastType($key) === 'immutable_datetime' ? new CarbonImmutable($value) : parent::castAttribute($key, $value);
    }
}
