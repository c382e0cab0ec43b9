<?php

declare(strict_types=1);

namespace App\Feeds;

use App\Models\Feed;
use App\Models\System;
use App\Runtime\Common\Systems;
use App\Support\Audit;
use Illuminate\Support\Facades\DB;
use Lighterman\Connectors\Kinds\Connectors;
use Lighterman\Core\Port\Finding;
use Lighterman\Core\Trouble\InvalidDefinition;
use Lighterman\Core\Trouble\MissingTrouble;
use SensitiveParameter;

/** Every change a person makes to systems goes through here, and into the audit trail. */
final class SystemBook
{
    public static function named(string $name): System
    {
        return System::where('name', $name)->first()
            ?? throw MissingTrouble::system($name);
    }

    /** @param  array<string, string|int>  $settings  as the kind wants them */
    public static function add(string $name, array $settings, #[SensitiveParameter] string $secret, string $kind = 'postgres'): System
    {
        return DB::transaction(function () use ($name, $settings, $secret, $kind): System {
            if (System::where('name', $name)->exists()) {
                throw InvalidDefinition::at('name', "a system named \"{$name}\" exists", 'Give this one another name.');
            }
            $system = System::create(['name' => $name, 'kind' => $kind, 'settings' => $settings, 'secret' => $secret]);
            Audit::record('added', 'system', $name, null, $settings + ['kind' => $kind] + (Connectors::named($kind)->form()->secret() === null ? [] : ['secret' => $secret]));

            return $system->refresh();
        });
    }

    /**
     * @param  array<string, string|int>  $settings
     * @param  string|null  $secret  null keeps the one stored, which goes only where it was given for
     *
     * @throws InvalidDefinition when it would go elsewhere
     */
    public static function change(System $system, string $name, array $settings, #[SensitiveParameter] ?string $secret): void
    {
        DB::transaction(function () use ($system, $name, $settings, $secret): void {
            if (System::where('name', $name)->whereKeyNot($system->id)->exists()) {
                throw InvalidDefinition::at('name', "a system named \"{$name}\" exists", 'Give this one another name.');
            }
            $moved = array_filter($system->connector()->form()->guards(), static fn (string $field): bool => (string) ($settings[$field] ?? '') !== (string) ($system->settings[$field] ?? ''));
            if ($secret === null && $moved !== []) {
                throw InvalidDefinition::at('secret', 'the stored one was given for another '.implode(', ', $moved), 'Type it again, so that it is not sent where it does not belong.');
            }
            Audit::record('changed', 'system', $system->name, $system->settings + ['name' => $system->name], $settings + ['name' => $name] + ($secret === null ? [] : ['secret' => $secret]));
            $system->update(['name' => $name, 'settings' => $settings, 'findings' => null, 'checked_at' => null] + ($secret === null ? [] : ['secret' => $secret]));
        });
    }

    /** @throws InvalidDefinition while feeds use it */
    public static function remove(System $system): void
    {
        DB::transaction(function () use ($system): void {
            $used = Feed::whereHas('route', fn ($q) => $q->where('source_id', $system->id)->orWhere('target_id', $system->id))->orderBy('name')->pluck('name');
            if ($used->isNotEmpty()) {
                throw InvalidDefinition::at($system->name, $used->count() === 1 ? "the feed {$used[0]} uses it" : "{$used->count()} feeds use it ({$used->take(3)->implode(', ')}".($used->count() > 3 ? ', …' : '').')', 'Remove these feeds first.');
            }
            Audit::record('removed', 'system', $system->name, $system->settings);
            $system->routesFrom()->delete();
            $system->routesTo()->delete();
            $system->delete();
        });
    }

    /** @return array{source: list<array<string, mixed>>, target: list<array<string, mixed>>} findings for either use */
    public static function check(System $system, Systems $systems): array
    {
        $systems->forget();
        $told = static fn (array $findings): array => array_map(static fn (Finding $f): array => $f->toArray(), array_values($findings));
        $findings = ['source' => $system->mayBeSource() ? $told($systems->source($system)->check()) : [], 'target' => $system->mayBeTarget() ? $told($systems->target($system)->check()) : []];
        // Testing is not a change: the connectors kept for this system stay good.
        System::withoutTimestamps(static fn () => $system->update(['findings' => $findings, 'checked_at' => now()]));

        return $findings;
    }
}
