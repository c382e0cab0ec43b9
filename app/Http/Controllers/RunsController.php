<?php

declare(strict_types=1);

namespace App\Http\Controllers;

use App\Models\Receipt;
use App\Models\Run;
use Illuminate\Contracts\View\View;

final class RunsController
{
    public function show(Run $run): View
    {
        $run->load('feed.route.source', 'feed.route.target', 'feed.definition', 'definition', 'lines');
        $receipts = Receipt::where('run_id', $run->id)->where('feed_id', $run->feed_id)->orderBy('sequence')->limit(500)->get();
        $before = $receipts->isEmpty() ? null : Receipt::where('feed_id', $run->feed_id)->where('sequence', $receipts[0]->first() - 1)->first();

        return view('runs.show', ['run' => $run, 'receipts' => $receipts, 'joins' => self::join(array_values($receipts->all()), $before)]);
    }

    /**
     * @param  list<Receipt>  $receipts
     * @return bool whether each begins where the one before it ended
     */
    private static function join(array $receipts, ?Receipt $before): bool
    {
        foreach ($receipts as $receipt) {
            if ($before !== null && ($receipt->first() !== $before->sequence + 1 || ! $receipt->from()->equals($before->to()))) {
                return false;
            }
            $before = $receipt;
        }

        return true;
    }
}
