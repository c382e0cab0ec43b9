<?php

declare(strict_types=1);

namespace App\Http\Controllers;

use App\Feeds\ColumnSheet;
use App\Feeds\DraftBook;
use App\Feeds\SheetPage;
use App\Models\Feed;
use App\Runtime\Common\Systems;
use Illuminate\Contracts\View\View;
use Illuminate\Http\RedirectResponse;
use Illuminate\Http\Request;
use Lighterman\Core\Trouble\Explained;

/** Versions of a feed beside each other, and the way back to one. */
final class VersionsController
{
    public function compare(Request $request, Feed $feed, Systems $systems): View
    {
        SheetPage::load($feed);
        $versions = $feed->definitions()->latest('version')->get();
        $b = $versions->firstWhere('version', $request->integer('b')) ?? $versions->first() ?? abort(404);
        $a = $versions->firstWhere('version', $request->integer('a')) ?? $versions->firstWhere('version', $b->version - 1) ?? $versions->last() ?? $b;
        $preparation = $trouble = null;
        if ($a->id !== $feed->definition_id) {
            try {
                $preparation = DraftBook::preparation($feed, $a->parsed(), $systems);
            } catch (Explained $e) {
                $trouble = $e;
            }
        }

        return view('feeds.compare', ['feed' => $feed, 'versions' => $versions, 'a' => $a, 'b' => $b, 'rows' => ColumnSheet::difference($a->parsed(), $b->parsed()), 'preparation' => $preparation, 'trouble' => $trouble]);
    }

    public function goBack(Request $request, Feed $feed, Systems $systems): RedirectResponse
    {
        SheetPage::load($feed);
        $to = $feed->definitions()->where('version', $request->validate(['version' => 'required|integer|min:1|max:2147483647'])['version'])->firstOrFail();
        DraftBook::goBack($feed, $to, $systems);

        return redirect('/feeds/'.rawurlencode($feed->name).'/columns')->with('done', "What version {$to->version} said is now the newest version.");
    }
}
