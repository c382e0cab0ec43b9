<?php

declare(strict_types=1);

namespace App\Providers;

use App\Runtime\Systems;
use App\Support\Frame;
use Illuminate\Cache\RateLimiting\Limit;
use Illuminate\Database\Eloquent\Model;
use Illuminate\Http\Request;
use Illuminate\Support\Facades\Gate;
use Illuminate\Support\Facades\RateLimiter;
use Illuminate\Support\Facades\View;
use Illuminate\Support\ServiceProvider;

final class AppServiceProvider extends ServiceProvider
{
    public function register(): void
    {
        $this->app->singleton(Systems::class);
    }

    public function boot(): void
    {
        Model::shouldBeStrict();
        Gate::define('change', static fn ($person): bool => $person->role === 'engineer');
        RateLimiter::for('sign-in', static fn (Request $r): array => [
            Limit::perMinute(5)->by(mb_strtolower((string) $r->input('name')).'|'.$r->ip()),
            Limit::perMinute(30)->by((string) $r->ip()),
        ]);
        View::composer('layout', static fn ($view) => $view->with('frame', app(Frame::class)));
    }
}
