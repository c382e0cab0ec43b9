<?php

declare(strict_types=1);

use App\Http\Middleware\EndsSessions;
use App\Http\Middleware\KnownHosts;
use App\Http\Middleware\KnownProxies;
use App\Http\Middleware\PlainFields;
use App\Http\Middleware\SecurityHeaders;
use App\Http\Middleware\StartSession;
use App\Http\Middleware\WholeForms;
use Illuminate\Database\LostConnectionDetector;
use Illuminate\Foundation\Application;
use Illuminate\Foundation\Configuration\Exceptions;
use Illuminate\Foundation\Configuration\Middleware;
use Illuminate\Http\Middleware\HandleCors;
use Illuminate\Http\Middleware\TrustProxies;
use Illuminate\Http\Request;
use Lighterman\Core\Trouble\Explained;

// What is typed into these is flashed nowhere.
$secrets = ['password', 'current', 'again', 'secret', 'asker_secret', 'administrator_secret'];
// Traces in logs name functions, never what was passed to them.
ini_set('zend.exception_ignore_args', '1');

$app = Application::configure(basePath: dirname(__DIR__))
    ->withRouting(web: __DIR__.'/../routes/web.php', commands: __DIR__.'/../routes/console.php')
    ->withCommands([__DIR__.'/../app/Console'])
    ->withMiddleware(function (Middleware $middleware): void {
        // Nothing here is meant for pages of another origin.
        $middleware->remove(HandleCors::class);
        $middleware->replace(TrustProxies::class, KnownProxies::class);
        $middleware->append([SecurityHeaders::class, KnownHosts::class]);
        $middleware->web(append: [EndsSessions::class, WholeForms::class, PlainFields::class], replace: [\Illuminate\Session\Middleware\StartSession::class => StartSession::class]);
        // Values of records, and the marks that they are written with, are taken as they are typed.
        $middleware->trimStrings(except: [fn (Request $request): bool => $request->is('feeds/*/set-aside*', 'feeds/*/columns/*', 'feeds/*/rehearse')]);
        $middleware->redirectGuestsTo('/sign-in');
        $middleware->redirectUsersTo('/watch');
    })
    ->withExceptions(function (Exceptions $exceptions) use ($secrets): void {
        $exceptions->dontReport([Explained::class]);
        $exceptions->dontFlash($secrets);
        // Nothing can be looked up, not even who asks.
        $exceptions->render(fn (PDOException $e) => preg_match('/SQLSTATE\[(08|57P0[123])/', $e->getMessage()) === 1 || app(LostConnectionDetector::class)->causedByLostConnection($e)
            ? response()->view('errors.plain', ['title' => 'Lighterman\'s own database does not answer', 'text' => 'Feeds stand still until it does; nothing is lost. This page looks again every 5 s.', 'again' => 5], 503)->header('Retry-After', '5') : null);
        // A form gets its answer where it was sent from, with what was typed; a page that cannot be made says why.
        $exceptions->render(fn (Explained $e, Request $request) => $request->isMethod('GET')
            ? response()->view('errors.explained', ['trouble' => $e], 422)
            : back()->withInput($request->except($secrets))->withErrors(['said' => $e->getMessage().' '.$e->remedy()]));
    })
    ->create();

$var = getenv('LIGHTERMAN_VAR') ?: $app->basePath('var');
$app->useEnvironmentPath($var);
$app->useStoragePath("{$var}/storage");

return $app;
