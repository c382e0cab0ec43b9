<?php

declare(strict_types=1);

namespace App\Http\Controllers;

use App\Feeds\FeedBook;
use App\Models\Feed;
use App\Models\Route;
use App\Models\RouteLog;
use App\Pages\Delays;
use App\Pages\TideChart;
use App\Runtime\Common\Systems;
use Illuminate\Contracts\View\View;
use Illuminate\Http\RedirectResponse;
use Illuminate\Http\Request;
use Lighterman\Core\Capture\Kind\Kinds;
use Lighterman\Core\Port\Finding;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Trouble\Explained;

/** A route, and the change log that its log feeds share. */
final class RoutesController
{
    private const MB = 1_000_000;

    public function show(Request $request, Route $route): View
    {
        $log = $this->log($request, $route);
        $capture = $log->capture ?? Kinds::streams()[0]->capture()->value;
        $feeds = Feed::listed()->where('route_id', $route->id)->where('capture', $capture)->orderBy('name')->get();
        $span = TideChart::span($request->query('span'));
        $ids = array_values($feeds->modelKeys());

        return view($request->hasHeader('X-Part') ? 'routes.part' : 'routes.show', [
            'route' => $route, 'log' => $log, 'capture' => $capture, 'feeds' => $feeds, 'span' => $span, 'tide' => TideChart::of($ids, $span, $log), 'delays' => Delays::last($ids, 60),
            'others' => Feed::where('route_id', $route->id)->where('capture', '<>', $capture)->count(),
        ]);
    }

    /** The reading that the request is about; a route may have one by log and one by triggers. */
    private function log(Request $request, Route $route): ?RouteLog
    {
        $route->load('source', 'target', 'logs');

        return $route->logBy((string) $request->input('capture')) ?? $route->logs->sortBy('capture')->first();
    }

    private function existing(Request $request, Route $route): RouteLog
    {
        return $this->log($request, $route)?->setRelation('route', $route) ?? abort(404);
    }

    private function back(RouteLog $log, string $done, string $to = ''): RedirectResponse
    {
        return redirect("/routes/{$log->route_id}?capture={$log->capture}{$to}")->with('done', $done);
    }

    public function check(Request $request, Route $route, Systems $systems): RedirectResponse
    {
        $log = $this->existing($request, $route);
        $tables = array_values(Feed::with('definition')->where('route_id', $route->id)->where('capture', $log->capture)->get()->map(static fn (Feed $f): TableName => TableName::parse($f->definition->body['table']))->unique(static fn (TableName $t): string => (string) $t)->all());
        try {
            $findings = $systems->log($log)->check($tables);
        } catch (Explained $trouble) {
            $findings = [Finding::failed('Connection', $trouble->getMessage(), (string) $trouble->remedy())];
        }
        $log->update(['findings' => array_map(static fn (Finding $f): array => $f->toArray(), $findings), 'checked_at' => now()]);
        // A log that had failed for want of something is looked at again.
        FeedBook::wake($route);

        return $this->back($log, 'Checked.', '#check');
    }

    public function limits(Request $request, Route $route): RedirectResponse
    {
        $given = $request->validate(['warn' => 'required|integer|min:1|max:10000000', 'spool' => 'required|integer|min:1|max:10000000|gte:warn', 'drop' => 'nullable|integer|max:10000000|gt:spool'], [
            'spool.gte' => 'The limit for the spool must not be below the one for the warning.', 'drop.gt' => 'The limit at which nothing is kept any more must be above the one for the spool.',
        ]);
        $log = $this->existing($request, $route);
        FeedBook::limit($log, ['warn_bytes' => (int) $given['warn'] * self::MB, 'spool_bytes' => (int) $given['spool'] * self::MB, 'drop_bytes' => isset($given['drop']) ? (int) $given['drop'] * self::MB : null]);

        return $this->back($log, 'The limits are saved.');
    }

    public function anew(Request $request, Route $route): RedirectResponse
    {
        if ($request->input('confirm') !== $route->name) {
            return back()->withErrors(['confirm' => "To begin anew, type the route's name, {$route->name}, exactly."]);
        }
        $log = $this->existing($request, $route);
        FeedBook::beginAnew($log);

        return $this->back($log, (Kinds::named($log->capture)->stream()->made ?? '').' being made, and every table is loaded again beside its changes.');
    }
}
