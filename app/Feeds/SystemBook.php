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
use Lighterman\Core\Trouble\FolderTrouble;
use Lighterman\Core\Trouble\InvalidDefinition;
use Lighterman\Core\Trouble\MissingTrouble;
use Lighterman\Core\Trouble\SystemTrouble;
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
            app(Systems::class)->demandAllowed($system);
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
            $system->update(['name' => $name, 'settings' => $settings, 'findings' => null, 'checked_at' => null] + ($secret === null ? [] : ['secret' => $secret]) + ($moved === [] ? [] : ['asker_user' => null, 'asker_secret' => null]));
            app(Systems::class)->demandAllowed($system);
        });
    }

    /**
     * Has people's queries run under an account of their own.
     *
     * @param  array{string|null, string}|null  $administrator  who makes it, and with which password, which is not kept; no name for the system's own account. Null where it was made already.
     *
     * @throws SystemTrouble|InvalidDefinition
     */
    public static function ask(System $system, string $user, #[SensitiveParameter] string $secret, #[SensitiveParameter] ?array $administrator, Systems $systems): void
    {
        if (preg_match('/^[\x21-\x7e]{12,200}$/', $secret) !== 1) {
            throw InvalidDefinition::at('asker_secret', 'the password of the account has 12 to 200 letters, digits and signs of ASCII, and no blanks', 'Choose another, or leave it empty and one is made.');
        }
        if ($administrator !== null) {
            $systems->makeAsker($system, $user, $secret, ...$administrator);
        }
        DB::transaction(static function () use ($system, $user, $secret): void {
            Audit::record('gave an account for queries to', 'system', $system->name, ['user' => $system->asker_user], ['user' => $user, 'secret' => $secret]);
            $system->update(['asker_user' => $user, 'asker_secret' => $secret]);
        });
        self::check($system->refresh(), $systems);
    }

    /** Lets nobody query it any more. The account itself stays. */
    public static function askNoMore(System $system): void
    {
        DB::transaction(static function () use ($system): void {
            Audit::record('took the account for queries from', 'system', $system->name, ['user' => $system->asker_user]);
            $system->update(['asker_user' => null, 'asker_secret' => null, 'findings' => array_diff_key($system->findings ?? [], ['asker' => 1])]);
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

    /** @return array{source: list<array<string, mixed>>, target: list<array<string, mixed>>, asker: list<array<string, mixed>>} findings for every use */
    public static function check(System $system, Systems $systems): array
    {
        $systems->forget();
        $told = static function (callable $check): array {
            try {
                return array_map(static fn (Finding $f): array => $f->toArray(), array_values($check()));
            } catch (FolderTrouble $trouble) {
                return [Finding::failed('Folder', $trouble->getMessage(), (string) $trouble->remedy())->toArray()];
            }
        };
        $findings = ['source' => $system->mayBeSource() ? $told(static fn (): array => $systems->source($system)->check()) : [], 'target' => $system->mayBeTarget() ? $told(static fn (): array => $systems->target($system)->check()) : [], 'asker' => $told(static fn (): array => $systems->checkAsker($system))];
        // Testing is not a change: the connectors kept for this system stay good.
        System::withoutTimestamps(static fn () => $system->update(['findings' => $findings, 'checked_at' => now()]));

        return $findings;
    }
}
