<?php

declare(strict_types=1);

use App\Http\Controllers\AuditController;
use App\Http\Controllers\ChecksController;
use App\Http\Controllers\ColumnsController;
use App\Http\Controllers\DecisionsController;
use App\Http\Controllers\FeedsController;
use App\Http\Controllers\FilesController;
use App\Http\Controllers\FindController;
use App\Http\Controllers\ForksController;
use App\Http\Controllers\LandedController;
use App\Http\Controllers\MeController;
use App\Http\Controllers\NewFeedsController;
use App\Http\Controllers\RehearsalController;
use App\Http\Controllers\RoutesController;
use App\Http\Controllers\RunsController;
use App\Http\Controllers\ScheduleController;
use App\Http\Controllers\SetAsideController;
use App\Http\Controllers\SignInController;
use App\Http\Controllers\SqlController;
use App\Http\Controllers\SystemsController;
use App\Http\Controllers\VersionsController;
use App\Http\Controllers\WatchController;
use Illuminate\Support\Facades\Route;

// Longer ones are no numbers of anything here, and no database takes them.
Route::patterns(array_fill_keys(['query', 'record', 'route', 'run'], '[0-9]{1,18}'));
Route::redirect('/', '/watch');
Route::middleware('guest')->group(function (): void {
    Route::get('/sign-in', [SignInController::class, 'show'])->name('login');
    Route::post('/sign-in', [SignInController::class, 'store']);
});

Route::middleware('auth')->group(function (): void {
    Route::post('/sign-out', [SignInController::class, 'destroy']);
    Route::get('/watch', [WatchController::class, 'index']);
    Route::get('/parts/ruler', [WatchController::class, 'ruler']);
    Route::get('/parts/schedule', ScheduleController::class);
    Route::get('/find', FindController::class);
    Route::get('/decisions', DecisionsController::class);
    Route::get('/audit', AuditController::class);
    Route::get('/me', [MeController::class, 'show']);
    Route::post('/me', [MeController::class, 'store']);
    Route::post('/me/password', [MeController::class, 'password']);

    Route::get('/systems', [SystemsController::class, 'index']);
    Route::get('/landed', [LandedController::class, 'index']);
    // A query runs under the account that lands, so only those may ask who may change what lands.
    Route::middleware('can:change')->group(function (): void {
        Route::get('/landed/sql', [SqlController::class, 'show']);
        Route::post('/landed/sql', [SqlController::class, 'run']);
        Route::post('/landed/sql/stop', [SqlController::class, 'stop']);
        Route::post('/landed/sql/saved', [SqlController::class, 'save']);
        Route::delete('/landed/sql/saved/{query}', [SqlController::class, 'forget']);
    });
    Route::get('/landed/found', [LandedController::class, 'found']);
    Route::post('/landed/scan', [LandedController::class, 'scan'])->middleware('can:change');
    Route::get('/landed/{feed}', [LandedController::class, 'show']);
    Route::get('/feeds', [FeedsController::class, 'index']);
    Route::get('/runs/{run}', [RunsController::class, 'show']);

    Route::middleware('can:change')->group(function (): void {
        Route::get('/systems/new', [SystemsController::class, 'create']);
        Route::post('/systems', [SystemsController::class, 'store']);
        Route::put('/systems/{system:name}', [SystemsController::class, 'update']);
        Route::delete('/systems/{system:name}', [SystemsController::class, 'destroy']);
        Route::post('/systems/{system:name}/check', [SystemsController::class, 'check']);
        Route::post('/systems/{system:name}/asker', [SystemsController::class, 'ask']);
        Route::delete('/systems/{system:name}/asker', [SystemsController::class, 'askNoMore']);

        Route::get('/feeds/new', [NewFeedsController::class, 'tables']);
        Route::get('/feeds/new/sample', [NewFeedsController::class, 'sample']);
        Route::post('/feeds/new/grid', [NewFeedsController::class, 'grid']);
        Route::post('/feeds/new/judge', [NewFeedsController::class, 'judge']);
        Route::post('/feeds/new/rehearse', [NewFeedsController::class, 'rehearse']);
        Route::post('/feeds/new', [NewFeedsController::class, 'store']);
        Route::post('/feeds/act', [FeedsController::class, 'act']);
        Route::post('/feeds/{feed}/columns/line', [ColumnsController::class, 'line']);
        Route::post('/feeds/{feed}/columns/act', [ColumnsController::class, 'act']);
        Route::post('/feeds/{feed}/checks', [ChecksController::class, 'act']);
        Route::post('/feeds/{feed}/forks', [ForksController::class, 'act']);
        Route::match(['get', 'post'], '/feeds/{feed}/rehearse', RehearsalController::class);
        Route::post('/feeds/{feed}/set-aside', [SetAsideController::class, 'act']);
        Route::post('/feeds/{feed}/set-aside/{record}/reveal', [SetAsideController::class, 'reveal'])->middleware('can:see-personal');
        Route::post('/feeds/{feed}/set-aside/{record}', [SetAsideController::class, 'edit']);
        Route::post('/feeds/{feed}/versions/back', [VersionsController::class, 'goBack']);
        Route::post('/feeds/{feed}/set-up', [FeedsController::class, 'change']);
        Route::post('/feeds/{feed}/start-over', [FeedsController::class, 'startOver']);
        Route::post('/feeds/{feed}/agree', [FeedsController::class, 'agree']);
        Route::post('/feeds/{feed}/emptied', [FeedsController::class, 'emptied']);
        Route::post('/feeds/{feed}/reload', [FeedsController::class, 'reload']);
        Route::post('/routes/{route}/check', [RoutesController::class, 'check']);
        Route::post('/routes/{route}/limits', [RoutesController::class, 'limits']);
        Route::post('/routes/{route}/anew', [RoutesController::class, 'anew']);
        Route::post('/systems/{system:name}/slots', [SystemsController::class, 'dropSlot']);
        Route::delete('/feeds/{feed}', [FeedsController::class, 'destroy']);
    });

    Route::get('/systems/{system:name}', [SystemsController::class, 'show']);
    Route::get('/feeds/{feed}', [FeedsController::class, 'show']);
    Route::get('/routes/{route}', [RoutesController::class, 'show']);
    Route::get('/feeds/{feed}/files', FilesController::class);
    Route::get('/feeds/{feed}/delay', [FeedsController::class, 'delay']);
    Route::get('/feeds/{feed}/life', [FeedsController::class, 'life']);
    Route::get('/feeds/{feed}/runs', [FeedsController::class, 'runs']);
    Route::get('/feeds/{feed}/columns', [ColumnsController::class, 'show']);
    Route::get('/feeds/{feed}/set-aside', [SetAsideController::class, 'index']);
    Route::get('/feeds/{feed}/set-aside.jsonl', [SetAsideController::class, 'export']);
    Route::get('/feeds/{feed}/set-aside/{record}', [SetAsideController::class, 'show']);
    Route::get('/feeds/{feed}/checks', [ChecksController::class, 'show']);
    Route::get('/feeds/{feed}/forks', [ForksController::class, 'show']);
    Route::get('/feeds/{feed}/versions', [VersionsController::class, 'compare']);
    Route::get('/feeds/{feed}/set-up', [FeedsController::class, 'setUp']);
});
