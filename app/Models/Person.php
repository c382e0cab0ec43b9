<?php

declare(strict_types=1);

namespace App\Models;

use Illuminate\Foundation\Auth\User;

/**
 * Somebody who signs in. An engineer may change things, a viewer may look.
 *
 * @property int $id
 * @property string $name
 * @property 'engineer'|'viewer' $role
 * @property string $zone time zone in which times are shown
 */
final class Person extends User
{
    protected $table = 'people';

    protected $guarded = [];

    protected $hidden = ['password', 'remember_token'];

    protected $casts = ['password' => 'hashed'];
}
