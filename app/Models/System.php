<?php

declare(strict_types=1);

namespace App\Models;

use Carbon\CarbonImmutable;
use Illuminate\Database\Eloquent\Builder;
use Illuminate\Database\Eloquent\Relations\HasMany;
use Illuminate\Support\Carbon;
use Lighterman\Connectors\Kinds\Connectors;
use Lighterman\Core\Port\AsksApart;
use Lighterman\Core\Port\Connector;
use Lighterman\Core\Port\Source;
use Lighterman\Core\Port\Target;

/**
 * Anything outside that rows come from or go to. The secret is encrypted at rest and hidden from every rendering.
 *
 * @property string $kind  of its connector
 * @property array<string, string|int> $settings  by the form of its connector
 * @property int $id
 * @property string $name
 * @property string|null $secret
 * @property string|null $asker_user  account that people's queries run under, where they have one of their own
 * @property string|null $asker_secret
 * @property array<array-key, mixed>|null $findings
 * @property CarbonImmutable|null $checked_at
 * @property Carbon|null $created_at
 * @property Carbon|null $updated_at
 */
final class System extends Record
{
    protected $hidden = ['secret', 'asker_secret'];

    protected $casts = ['settings' => 'array', 'secret' => 'encrypted', 'asker_secret' => 'encrypted', 'findings' => 'array', 'checked_at' => 'immutable_datetime'];

    public function connector(): Connector
    {
        return Connectors::named($this->kind);
    }

    public function place(): string
    {
        return $this->connector()->place($this->settings);
    }

    public function mayBeSource(): bool
    {
        return $this->connector() instanceof Source;
    }

    public function mayBeTarget(): bool
    {
        return $this->connector() instanceof Target;
    }

    /** Whether what is read there are files. */
    public function bringsFiles(): bool
    {
        $connector = $this->connector();

        return $connector instanceof Source && $connector->bringsFiles();
    }

    /** Whether what lands there are files. */
    public function keepsFiles(): bool
    {
        return self::filesLandIn($this->connector());
    }

    /** @return Builder<self> those in which files land */
    public static function keepingFiles(): Builder
    {
        return self::query()->whereIn('kind', self::kindsKeepingFiles());
    }

    /** @return list<string> */
    public static function kindsKeepingFiles(): array
    {
        return Connectors::kinds(self::filesLandIn(...));
    }

    private static function filesLandIn(Connector $connector): bool
    {
        return $connector instanceof Target && $connector->keepsFiles();
    }

    /** Whether people's queries here need an account of their own. */
    public function asksApart(): bool
    {
        return $this->connector() instanceof AsksApart;
    }

    /** Whether people may query what has landed here: under an account that was found to do nothing else, where one is needed. */
    public function mayBeAsked(): bool
    {
        return ! $this->asksApart() || ($this->asker_user !== null && isset($this->findings['asker']) && ! in_array('failed', array_column($this->findings['asker'], 'result'), true));
    }

    /** Who it is read as, in the words of a message. */
    public function account(): string
    {
        return $this->connector()->form()->secret() === null ? 'Lighterman' : (string) $this->settings['user'];
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
