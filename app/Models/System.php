<?php

declare(strict_types=1);

namespace App\Models;

use App\Support\SystemKind;
use Illuminate\Database\Eloquent\Relations\HasMany;

/**
 * Anything outside that rows come from or go to. The secret is encrypted at rest and hidden from every rendering.
 *
 * @property SystemKind $kind
 * @property array<string, string|int> $settings  host, port, database, user and tls of a server; path of a file
 */
final class System extends Record
{
    protected $hidden = ['secret'];

    protected $casts = ['kind' => SystemKind::class, 'settings' => 'array', 'secret' => 'encrypted', 'findings' => 'array', 'checked_at' => 'immutable_datetime'];

    public function place(): string
    {
        if ($this->kind->isStore()) {
            return "{$this->settings['endpoint']}/{$this->settings['bucket']}".(($this->settings['prefix'] ?? '') === '' ? '' : "/{$this->settings['prefix']}");
        }

        return $this->kind->isServer() ? "{$this->settings['host']}:{$this->settings['port']}/{$this->settings['database']}" : (string) $this->settings['path'];
    }

    /** Who it is read as, in the words of a message. */
    public function account(): string
    {
        return $this->kind->hasSecret() ? (string) $this->settings['user'] : 'Lighterman';
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
