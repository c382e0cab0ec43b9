<?php

declare(strict_types=1);

namespace App\Runtime\Common;

use App\Models\Feed;
use App\Models\KeptTrouble;
use App\Models\Run;
use App\Support\Say;
use Lighterman\Core\Port\FeedRefused;
use Lighterman\Core\Port\JoinedFiles;
use Lighterman\Core\Port\LeaseLost;
use Lighterman\Core\Trouble\Explained;
use Throwable;

/** A run that joins the small files of what a feed has landed. Rows, position and receipts stay as they are. */
final class FileJoining
{
    /**
     * What goes wrong is the run's trouble and not the feed's, which goes on as before.
     *
     * @param  callable(): ?JoinedFiles  $join  null where no file was small
     *
     * @throws LeaseLost
     */
    public static function run(Feed $feed, string $worker, callable $join): void
    {
        $run = Run::create(['feed_id' => $feed->id, 'definition_id' => $feed->definition_id, 'kind' => Run::JOIN, 'state' => 'running', 'why' => 'asked', 'worker' => $worker, 'started_at' => now()]);
        $end = static function (string $state, string $said, array $more = []) use ($run): void {
            $run->lines()->create(['at' => now(), 'level' => $state === 'done' ? 'info' : 'error', 'said' => $said]);
            $run->update(['state' => $state, 'ended_at' => now(), ...$more]);
        };
        try {
            $joined = $join();
            $joined === null
                ? $end('done', 'Nothing was joined: no partition has several small files.')
                : $end('done', 'Small files were joined: '.Say::files($joined->before).' have become '.Say::count($joined->after).'.', ['window_from' => Say::files($joined->before), 'window_to' => Say::files($joined->after)]);
        } catch (LeaseLost $lost) {
            $end('lost', $lost->getMessage());
            throw $lost;
        } catch (Throwable $e) {
            $trouble = match (true) {
                $e instanceof FeedRefused => $e->trouble,
                $e instanceof Explained => $e,
                default => Fault::trouble("files of feed {$feed->name}", $e, 'joining files', 'ask again'),
            };
            $end('failed', $trouble->getMessage(), ['trouble' => KeptTrouble::of($trouble)]);
        }
        $feed->update(['join_asked' => false]);
    }
}
