<?php

declare(strict_types=1);

namespace App\Models;

use Illuminate\Database\Eloquent\Relations\HasMany;

/**
 * Anything outside that rows come from or go to. The secret is encrypted at rest and hidden from every rendering.
 *
 * @property array{host: string, port: int, database: string, user: string, tls: string} $settings
 */
final class System extends Record
{
    protected $hidden = ['secret'];

    protected $casts = ['settings' => 'array', 'secret' => 'encrypted', 'findings' => 'array', 'checked_at' => 'immutable_datetime'];

    public function place(): string
    {
        return "{$this->settings['host']}:{$this->settings['port']}/{$this->settings['database']}";
    }

    /** @return HasMany<Route, $this> routes that read from this system */
    public function routesFrom(): HasMany
    {
        return $this->hasMany(Route::class, 'source_id');
    }

    /** @return HasMany<Route, $this> routes that land in this system */
    public function routesTo(): HasMany
    {
        return $this->hasMany(Route::class, 'target_id');
    }
}
