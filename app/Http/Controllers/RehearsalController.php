<?php

declare(strict_types=1);

namespace App\Http\Controllers;

use App\Feeds\DraftBook;
use App\Feeds\Rehearsal;
use App\Feeds\Samples;
use App\Feeds\TypedRecords;
use App\Models\Feed;
use App\Models\SetAside;
use App\Runtime\Common\Systems;
use Illuminate\Contracts\View\View;
use Illuminate\Http\Request;
use Lighterman\Core\Port\Sampling;
use Lighterman\Core\Treatment\InvalidTreatment;
use Lighterman\Core\Trouble\Explained;

final class RehearsalController
{
    public function __invoke(Request $request, Feed $feed, Systems $systems): View
    {
        $feed->load('route.source', 'route.target', 'route.logs', 'definition');
        $told = ['feed' => $feed, 'draft' => DraftBook::of($feed), 'records' => [], 'at' => max(0, $request->integer('at')), 'trouble' => null, 'typed' => (string) $request->input('typed', ''), 'where' => (string) $request->input('where', ''), 'sample' => (string) $request->input('sample', 'last'), 'aside' => null];
        try {
            $rehearsal = new Rehearsal($feed, DraftBook::definition($feed, DraftBook::treatment($feed)), $systems);
            [$rows, $told['what'], $told['aside']] = $this->rows($request, $feed, $rehearsal);
            $told['records'] = array_map($rehearsal->of(...), $told['aside'] === null || $rehearsal->definition->treatment->explode === null ? $rehearsal->records($rows) : $rows);
        } catch (Explained $e) {
            $told['trouble'] = $e;
        } catch (InvalidTreatment $e) {
            $told['trouble'] = $e;
        }
        $told['at'] = min($told['at'], max(0, count($told['records']) - 1));

        return view('feeds.rehearse', $told);
    }

    /** @return array{list<list<string|false|null>>, string, SetAside|null} rows, what they are, and the set-aside record if it is one */
    private function rows(Request $request, Feed $feed, Rehearsal $rehearsal): array
    {
        $columns = $rehearsal->definition->treated()->names();
        if ($request->filled('aside')) {
            $record = SetAside::where('feed_id', $feed->id)->findOrFail($request->integer('aside'));
            $whole = $record->whole();

            return [[array_map(static fn (string $c): string|false|null => $whole[$c] ?? null, $columns)], 'set aside before', $record];
        }
        if ($request->filled('typed')) {
            return [TypedRecords::parse((string) $request->input('typed'), $rehearsal->definition->carried()), 'typed in', null];
        }
        if ($request->filled('where')) {
            return [$rehearsal->where((string) $request->input('where'), 50), 'of the last '.number_format(Rehearsal::THROUGH).' rows', null];
        }

        $key = array_intersect_key(array_filter((array) $request->input('key'), static fn (mixed $v): bool => is_string($v) && $v !== ''), array_flip($rehearsal->definition->origin->key));
        if ($key !== [] && count($key) === count($rehearsal->definition->origin->key)) {
            return [$rehearsal->sample(Sampling::key($key), 1), 'picked by its key', null];
        }

        return [$rehearsal->sample(Samples::way($request->input('sample')), 50), ['first' => 'the first rows', 'random' => 'random rows'][$request->input('sample')] ?? 'the last rows', null];
    }
}
