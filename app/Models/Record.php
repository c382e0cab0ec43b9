<?php

declare(strict_types=1);

namespace App\Models;

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
}
