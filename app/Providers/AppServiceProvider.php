<?php

declare(strict_types=1);

namespace App\Providers;

use App\Pages\Frame;
use App\Runtime\Common\Systems;
use App\Support\HouseTime;
use Illuminate\Database\Eloquent\Model;
use Illuminate\Database\Events\ConnectionEstablished;
use Illuminate\Support\Facades\Date;
use Illuminate\Support\Facades\Event;
use Illuminate\Support\Facades\Gate;
use Illuminate\Support\Facades\View;
use Illuminate\Support\ServiceProvider;

final class AppServiceProvider extends ServiceProvider
{
    public function register(): void
    {
        $this->app->singleton(Systems::class);
        $this->app->scoped(Frame::class);
    }

    public function boot(): void
    {
        Model::shouldBeStrict();
        Date::useClass(HouseTime::class);
        Event::listen(ConnectionEstablished::class, static fn (ConnectionEstablished $e) => HouseTime::takeFrom($e->connection));
        if ($this->app->runningInConsole() && ! $this->app->environment('testing')) {
            // A process that was stopped in the middle of a transaction must not keep its successor waiting.
            Event::listen(ConnectionEstablished::class, static fn (ConnectionEstablished $e) => $e->connection->statement('SET idle_in_transaction_session_timeout = '.(1000 * (int) config('lighterman.lease_seconds'))));
        }
        Gate::define('change', static fn ($person): bool => $person->role === 'engineer');
        Gate::define('see-personal', static fn ($person): bool => $person->sees_personal);
        View::composer(['layout', 'feeds.index'], static fn ($view) => $view->with('frame', app(Frame::class)));
    }
}
