<?php

declare(strict_types=1);

namespace App\Http\Controllers;

use App\Models\Feed;
use App\Models\TakenFile;
use App\Runtime\Common\Systems;
use App\Runtime\Common\TakenBook;
use Illuminate\Contracts\View\View;
use Illuminate\Http\Request;
use Lighterman\Core\Capture\PlannedFiles;
use Lighterman\Core\Port\PassesOver;
use Lighterman\Core\Trouble\Explained;

/** The files of a feed: those that are taken, and those that wait. */
final class FilesController
{
    private const PER_PAGE = 100;

    public function __invoke(Request $request, Feed $feed, Systems $systems): View
    {
        $feed->load('route.source', 'route.target', 'route.logs', 'definition');
        $definition = $feed->definition->parsed();
        abort_if($definition->origin->files === null, 404);
        $holds = trim((string) $request->query('holds', ''));
        $planned = new PlannedFiles;
        $trouble = null;
        $over = [];
        try {
            $source = $systems->source($feed->route->source);
            $planned = $source->plan($definition, $feed->stands(), null, new TakenBook($feed->id))->files;
            $over = $source instanceof PassesOver ? $source->passedOver($definition->origin->table) : [];
        } catch (Explained $e) {
            $trouble = $e;
        }
        $which = TakenFile::where('feed_id', $feed->id)->when($holds !== '', static fn ($q) => $q->where('path', 'ilike', '%'.addcslashes($holds, '%_\\').'%'));
        $page = max(1, $request->integer('page', 1));
        $count = $which->count();

        return view('feeds.files', [
            'feed' => $feed, 'definition' => $definition, 'trouble' => $trouble, 'holds' => $holds, 'page' => $page, 'count' => $count, 'pages' => (int) max(1, ceil($count / self::PER_PAGE)),
            'waiting' => array_slice($planned->taken, 0, self::PER_PAGE), 'more' => max(0, count($planned->taken) - self::PER_PAGE), 'refused' => $planned->refused, 'growing' => $planned->growing, 'over' => $over,
            'sums' => TakenFile::where('feed_id', $feed->id)->selectRaw('count(*) AS files, coalesce(sum(size), 0) AS size, coalesce(sum(rows), 0) AS rows, coalesce(sum(set_aside), 0) AS set_aside')->toBase()->first(),
            'files' => $which->latest('landed_at')->orderBy('path')->forPage($page, self::PER_PAGE)->get(),
        ]);
    }
}
