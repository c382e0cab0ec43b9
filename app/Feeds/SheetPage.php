<?php

declare(strict_types=1);

namespace App\Feeds;

use App\Models\Feed;
use App\Models\MaskKey;
use App\Runtime\Common\Systems;
use App\Runtime\Treating\Treating;
use Illuminate\Http\RedirectResponse;
use Illuminate\Http\Request;
use Lighterman\Core\Port\Sampling;
use Lighterman\Core\Treatment\InvalidTreatment;
use Lighterman\Core\Trouble\Explained;
use Lighterman\Core\Trouble\SystemTrouble;

/** What the pages about a feed's treatment show: the sheet computed on sampled rows, and what saving it would do. */
final readonly class SheetPage
{
    public function __construct(private Systems $systems)
    {
    }

    public static function load(Feed $feed): void
    {
        $feed->loadMissing('route.source', 'route.target', 'route.logs', 'definition');
    }

    /** @param  list<list<string|null>>  $rows */
    private static function computed(Feed $feed, EditedSheet $edited, array $rows, int $at): ColumnSheet
    {
        return ColumnSheet::of($edited, $rows, $at, Treating::stamps($feed->route->source->name, (int) $feed->last_run_id), MaskKey::secretOf(...), Treating::table(...));
    }

    /** @return array<string, mixed> */
    public function told(Request $request, Feed $feed, EditedSheet $edited): array
    {
        [$definition, $treatment] = [$edited->definition, $edited->treatment];
        $rows = [];
        $trouble = $preparation = $invalid = null;
        $key = array_intersect_key(array_filter((array) $request->input('key'), static fn (mixed $v): bool => is_string($v) && $v !== ''), array_flip($definition->origin->key));
        $which = $key !== [] && count($key) === count($definition->origin->key) ? Sampling::key($key) : Samples::way($request->input('sample'));
        try {
            $rows = Samples::of($feed, $definition, $which, $this->systems);
        } catch (Explained $e) {
            $trouble = $e;
        }
        try {
            $sheet = self::computed($feed, $edited, $rows, $request->integer('row'));
        } catch (SystemTrouble $e) {
            // A lookup does not answer.
            [$trouble, $sheet] = [$e, self::computed($feed, $edited, [], 0)];
        }
        $draft = DraftBook::of($feed);
        if ($draft !== null) {
            try {
                $preparation = DraftBook::preparation($feed, DraftBook::definition($feed, $edited->whole), $this->systems);
            } catch (Explained $e) {
                $invalid = $e;
            }
        }

        return compact('feed', 'definition', 'treatment', 'edited', 'sheet', 'draft', 'preparation', 'invalid', 'trouble', 'key') + ['sample' => $which->way === 'key' ? '' : $which->way, 'seen' => SeenSheet::shown($feed, $edited->whole)];
    }

    /**
     * Does something to the treatment that the page showed.
     *
     * @template T
     *
     * @param  callable(): T  $do
     * @return T
     *
     * @throws InvalidTreatment if somebody else has changed it since
     */
    public static function changing(Request $request, Feed $feed, callable $do): mixed
    {
        $seen = $request->input('seen');

        return SeenSheet::change($feed, is_string($seen) && $seen !== '' ? $seen : null, (string) $request->user()?->getAuthIdentifier(), $do);
    }

    public static function back(Request $request, Feed $feed, ?int $line = null): RedirectResponse
    {
        $query = array_filter(['fork' => $request->input('fork'), 'sample' => $request->input('sample'), 'row' => $request->input('row'), 'line' => $line], static fn (mixed $v): bool => $v !== null && $v !== '');

        return redirect('/feeds/'.rawurlencode($feed->name).'/columns'.($query === [] ? '' : '?'.http_build_query($query)));
    }
}
