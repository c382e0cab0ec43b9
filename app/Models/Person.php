<?php

declare(strict_types=1);

namespace App\Models;

use Illuminate\Foundation\Auth\User;

/**
 * Somebody who signs in. An engineer may change things, a viewer may look.
 *
 * @property int $id
 * @property string $name
 * @property string $password  its hash
 * @property 'engineer'|'viewer' $role
 * @property bool $sees_personal whether what masks hide of a record set aside is shown on demand
 * @property string $zone time zone in which times are shown
 */
final class Person extends User
{
    protected $table = 'people';

    protected $guarded = [];

    protected $attributes = ['sees_personal' => false];

    protected $hidden = ['password', 'remember_token'];

    protected $casts = ['password' => 'hashed', 'sees_personal' => 'boolean'];

    /** Changes with whatever lets sessions from before it end. */
    public function standing(): string
    {
        return hash('sha256', "{$this->password}|{$this->role}|".($this->sees_personal ? 'sees' : ''));
    }
}
