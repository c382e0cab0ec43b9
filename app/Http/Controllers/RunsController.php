<?php

declare(strict_types=1);

namespace App\Http\Controllers;

use App\Models\Receipt;
use App\Models\Run;
use Illuminate\Contracts\View\View;
use Illuminate\Http\Request;

final class RunsController
{
    private const RECEIPTS = 500;

    public function show(Request $request, Run $run): View
    {
        $run->load('feed.route.source', 'feed.route.target', 'feed.definition', 'definition', 'lines');
        $all = Receipt::where('run_id', $run->id)->where('feed_id', $run->feed_id);
        $receipts = (clone $all)->where('sequence', '>', max(0, $request->integer('after')))->orderBy('sequence')->limit(self::RECEIPTS)->get();
        $before = $receipts->isEmpty() ? null : Receipt::where('feed_id', $run->feed_id)->where('sequence', $receipts[0]->first() - 1)->first();
        $passed = $receipts->isEmpty() ? 0 : (clone $all)->where('sequence', '<', $receipts[0]->sequence)->count();

        return view('runs.show', ['run' => $run, 'receipts' => $receipts, 'passed' => $passed, 'of' => $all->count(), 'joins' => self::join(array_values($receipts->all()), $before)]);
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
