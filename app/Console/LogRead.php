<?php

declare(strict_types=1);

namespace App\Console;

use App\Models\Feed;
use App\Models\Route;
use App\Models\RouteLog;
use App\Runtime\Common\Systems;
use App\Runtime\Stream\LogRunner;
use App\Runtime\Stream\TargetAway;
use App\Runtime\Work\Companion;
use App\Runtime\Work\Leases;
use App\Runtime\Work\Workers;
use App\Support\Say;
use App\Support\Way;
use Illuminate\Console\Command;
use Lighterman\Core\Port\LeaseLost;
use Lighterman\Core\Trouble\Explained;

final class LogRead extends Command
{
    protected $signature = 'log:read {route : name of a route, or the number of its log} {--capture= : log or trigger, where a route has both} {--drain : end once everything committed by now has landed} {--child= : end once the process of that number is no longer its parent}';

    protected $description = 'Reads one route\'s changes, from the log or by triggers, and lands what it brings, until stopped';

    private bool $stop = false;

    public function handle(Systems $systems): int
    {
        Work::dieAtOnce();
        $said = (string) $this->argument('route');
        $log = ctype_digit($said) ? RouteLog::find((int) $said) : Route::where('name', $said)->first()?->logs()->when($this->option('capture') !== null, fn ($q) => $q->where('capture', $this->option('capture')))->orderBy('capture')->first();
        if ($log === null) {
            $this->error("No changes are read for a route \"{$said}\". They are once a feed of it has capture log or trigger.");

            return self::FAILURE;
        }
        $this->trap([SIGTERM, SIGINT], function (): void {
            $this->stop = true;
        });
        $leases = new Leases(Workers::name((int) getmypid()));
        $lease = $leases->log($log->id);
        if ($lease === null) {
            if ($this->option('child') === null) {
                $this->error('Another worker reads this log at this moment.');
            }

            return self::FAILURE;
        }
        $companion = $this->option('child') === null ? new Companion : null;
        // Asked before every message.
        $parent = $this->option('child') === null ? null : (int) $this->option('child');
        $runner = new LogRunner($systems, $leases, fn (): bool => $this->stop || ($parent !== null && posix_getppid() !== $parent));
        try {
            $runner->run($lease, (bool) $this->option('drain'));
        } catch (LeaseLost) {
            $this->error('Another worker has taken over the reading of this log, so it is not known here whether everything has landed.');
            $this->line('Run the command again once no other worker reads it.');

            return self::FAILURE;
        } catch (TargetAway $away) {
            return $this->told($away->trouble, $log);
        } catch (Explained $trouble) {
            return $this->told($trouble, $log);
        }

        return $this->option('drain') && ! $this->allLanded($log) ? self::FAILURE : self::SUCCESS;
    }

    /** Names the feeds whose changes wait for somebody. @return bool whether there are none but those that were paused on purpose */
    private function allLanded(RouteLog $log): bool
    {
        $apart = Feed::where('route_id', $log->route_id)->where('capture', $log->capture)->where(static fn ($q) => $q->whereNotNull('paused_at')->orWhereIn('standing', ['held', 'failed']))->orderBy('name')->get();
        foreach ($apart as $feed) {
            $this->line("{$feed->name} is {$feed->state()}: ".($feed->waiting === 1 ? '1 change of it waits' : Say::count($feed->waiting).' changes of it wait').' to be landed.');
        }

        return $apart->every(static fn (Feed $f): bool => $f->paused_at !== null);
    }

    private function told(Explained $trouble, RouteLog $log): int
    {
        $this->error($trouble->getMessage());
        $this->line(Way::said($trouble->remedy(), log: $log));

        return self::FAILURE;
    }
}
