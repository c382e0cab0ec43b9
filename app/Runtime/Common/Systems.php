<?php

declare(strict_types=1);

namespace App\Runtime\Common;

use App\Models\Feed;
use App\Models\Route;
use App\Models\RouteLog;
use App\Models\System;
use Illuminate\Support\Str;
use Lighterman\Core\Capture\Capture;
use Lighterman\Core\Port\Access;
use Lighterman\Core\Port\Asker;
use Lighterman\Core\Port\AsksApart;
use Lighterman\Core\Port\ChangeLog;
use Lighterman\Core\Port\EngineLimits;
use Lighterman\Core\Port\Finding;
use Lighterman\Core\Port\Folders;
use Lighterman\Core\Port\HoldsLog;
use Lighterman\Core\Port\Slots;
use Lighterman\Core\Port\Source;
use Lighterman\Core\Port\SourceSystem;
use Lighterman\Core\Port\Streams;
use Lighterman\Core\Port\Target;
use Lighterman\Core\Port\TargetSystem;
use Lighterman\Core\Trouble\QueryTrouble;
use Lighterman\Core\Trouble\RoleTrouble;
use Lighterman\Core\Trouble\SystemTrouble;
use SensitiveParameter;

/** Has connectors reach the systems there are; keeps one open per system and process, so that an empty run needs no new connection. */
final class Systems
{
    /** @var array<string, SourceSystem> */
    private array $sources = [];

    /** @var array<string, TargetSystem> */
    private array $targets = [];

    public function source(System $system): SourceSystem
    {
        $connector = $system->connector();

        return $this->sources[$this->version($system)] ??= $connector instanceof Source ? $connector->source(self::access($system))
            : throw RoleTrouble::noSource($system->name, $connector->word());
    }

    public function target(System $system): TargetSystem
    {
        $connector = $system->connector();

        return $this->targets[$this->version($system)] ??= $connector instanceof Target ? $connector->target(self::access($system))
            : throw RoleTrouble::noTarget($system->name, $connector->word());
    }

    /**
     * Whom people's queries of a system are put to.
     *
     * @throws QueryTrouble where that would need an account that there is not
     */
    public function asker(System $system): Asker
    {
        $connector = $system->connector();
        if ($connector instanceof AsksApart) {
            return $system->mayBeAsked() ? $connector->asker(self::access($system), (string) $system->asker_user, (string) $system->asker_secret, Feed::landedIn($system)) : throw QueryTrouble::noAccount($system->name);
        }
        $target = $this->target($system);

        return $target instanceof Asker ? $target : throw RoleTrouble::noTarget($system->name, $connector->word());
    }

    /** @return list<Finding> whether the account of people's queries can do no more than it should */
    public function checkAsker(System $system): array
    {
        $connector = $system->connector();

        return $connector instanceof AsksApart && $system->asker_user !== null ? $connector->checkAsker(self::access($system), $system->asker_user, (string) $system->asker_secret) : [];
    }

    /**
     * Makes the account of people's queries.
     *
     * @param  string|null  $administrator  null for the account of the system itself
     */
    public function makeAsker(System $system, string $user, #[SensitiveParameter] string $secret, ?string $administrator, #[SensitiveParameter] string $password): void
    {
        $connector = $system->connector();
        $connector instanceof AsksApart || throw RoleTrouble::noTarget($system->name, $connector->word());
        $access = self::access($system);
        $connector->makeAsker($administrator === null ? $access : $access->as($administrator, $password), $user, $secret);
    }

    /** What a route's changes are read by. Its connections are its own. */
    public function log(RouteLog $log): ChangeLog
    {
        $source = $log->route->source;

        return self::streams($source)->stream(self::access($source), Capture::from($log->capture), $log->names);
    }

    /** The same for a route that may not be there yet. */
    public function logBetween(System $source, System $target, Capture $capture): ChangeLog
    {
        $log = Route::where(['source_id' => $source->id, 'target_id' => $target->id])->first()?->logBy($capture->value);

        return self::streams($source)->stream(self::access($source), $capture, $log->names ?? self::named($source, $target, $capture)['names']);
    }

    /**
     * The lasting id and the names of what a route's changes are to be read by.
     *
     * @return array{uid: string, names: array<string, string>}
     */
    public static function named(System $source, System $target, Capture $capture): array
    {
        $uid = (string) Str::uuid();

        return ['uid' => $uid, 'names' => self::streams($source)->names($capture, "{$source->name}_{$target->name}", $uid, substr(hash_hmac('sha256', "{$source->id} {$target->id}", (string) config('app.key')), 0, 8))];
    }

    private static function streams(System $source): Streams
    {
        $connector = $source->connector();

        return $connector instanceof Streams ? $connector
            : throw RoleTrouble::noStream($source->name, $connector->word());
    }

    /** What makes a source keep its log for readers of ours, known here or not; null where nothing does. */
    public function slots(System $source): ?Slots
    {
        $connector = $source->connector();

        return $connector instanceof HoldsLog ? $connector->slots(self::access($source)) : null;
    }

    /** Lets go of every connection, so that the next use makes a new one. */
    public function forget(): void
    {
        $this->sources = $this->targets = [];
    }

    private function version(System $system): string
    {
        return "{$system->id}@{$system->updated_at?->format('U.u')}";
    }

    /** @return list<string> what this installation keeps for itself */
    private static function own(): array
    {
        $beside = dirname(storage_path());

        return [storage_path(), app()->environmentFilePath(), ...array_map(static fn (string $of): string => "{$beside}/{$of}", ['pg', 'maria', 'run', 'log'])];
    }

    /** @throws SystemTrouble where the system lies where none may */
    public function demandAllowed(System $system): void
    {
        $system->mayBeSource() ? $this->source($system) : $this->target($system);
    }

    private static function access(System $system): Access
    {
        return new Access($system->name, $system->settings, (string) $system->secret, new EngineLimits((int) config('lighterman.lake.memory_mb'), (int) config('lighterman.lake.threads'), storage_path('lake'), (int) config('lighterman.lake.fetched_mb')), new Folders(config('lighterman.folders'), self::own()));
    }
}
