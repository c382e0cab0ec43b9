<?php

declare(strict_types=1);

namespace App\Feeds;

use App\Models\Receipt;
use Illuminate\Support\Facades\DB;

/**
 * Compares what is written down of the same thing in several places: receipts with each other, with the runs that they belong to,
 * with the hours and with what was set aside. As far as receipts are kept.
 */
final class Books
{
    /** What is compared, by what it is called; each gives the feed and what does not agree. */
    private const RULES = [
        'receipts follow each other' => "SELECT feed_id, 'after receipt ' || before || ' comes ' || first AS said FROM (SELECT feed_id, coalesce(first_sequence, sequence) AS first, lag(sequence) OVER (PARTITION BY feed_id ORDER BY sequence) AS before FROM receipts) r WHERE first <> before + 1",
        'receipts begin where the one before ended' => "SELECT feed_id, 'receipt ' || sequence || ' begins at ' || from_position || ', and the one before ended at ' || was AS said
            FROM (SELECT feed_id, sequence, from_position - 'files' AS from_position, lag(to_position - 'files') OVER (PARTITION BY feed_id ORDER BY sequence) AS was FROM receipts) r WHERE from_position <> was",
        'the last receipt is the feed\'s' => "SELECT f.id AS feed_id, 'the feed has ' || f.sequence || ' receipts, and the last is ' || r.last AS said FROM feeds f JOIN (SELECT feed_id, max(sequence) AS last FROM receipts GROUP BY 1) r ON r.feed_id = f.id WHERE r.last <> f.sequence",
        'every record of a receipt is accounted for' => "SELECT r.feed_id, 'receipt ' || r.sequence || ' read ' || r.read || ', and accounts for ' || {accounted} AS said FROM receipts r JOIN feeds f ON f.id = r.feed_id WHERE r.read <> {accounted}",
        'runs have what their receipts have' => "SELECT u.feed_id, 'run ' || u.id || ' says ' || concat_ws(', ', u.read, u.inserted, u.updated, u.unchanged, u.deleted, u.dropped, u.set_aside, u.superseded, u.batches) || '; its receipts say ' || concat_ws(', ', s.read, s.inserted, s.updated, s.unchanged, s.deleted, s.dropped, s.set_aside, s.superseded, s.batches) AS said
            FROM runs u LEFT JOIN LATERAL (SELECT coalesce(sum(read), 0) AS read, coalesce(sum(inserted), 0) AS inserted, coalesce(sum(updated), 0) AS updated, coalesce(sum(unchanged), 0) AS unchanged, coalesce(sum(deleted), 0) AS deleted, coalesce(sum(dropped), 0) AS dropped, coalesce(sum(set_aside), 0) AS set_aside, coalesce(sum(superseded), 0) AS superseded, coalesce(sum(sequence - coalesce(first_sequence, sequence) + 1), 0) AS batches FROM receipts WHERE run_id = u.id) s ON true JOIN feeds f ON f.id = u.feed_id
            WHERE u.started_at > {kept} AND (u.read, u.inserted, u.updated, u.unchanged, u.deleted, u.dropped, u.set_aside, u.superseded, u.batches) IS DISTINCT FROM (s.read, s.inserted, s.updated, s.unchanged, s.deleted, s.dropped, s.set_aside, s.superseded, s.batches)",
        'hours have what their receipts have' => "SELECT coalesce(h.feed_id, s.feed_id) AS feed_id, 'the hour of ' || coalesce(h.hour, s.hour) || ' has ' || coalesce(h.rows, 0) || ' rows and ' || coalesce(h.set_aside, 0) || ' set aside; its receipts have ' || coalesce(s.rows, 0) || ' and ' || coalesce(s.set_aside, 0) AS said
            FROM carried_hours h FULL JOIN (SELECT r.feed_id, date_trunc('hour', r.landed_at) AS hour, sum({carried}) AS rows, sum(r.set_aside) AS set_aside FROM receipts r JOIN feeds f ON f.id = r.feed_id GROUP BY 1, 2) s ON s.feed_id = h.feed_id AND s.hour = h.hour JOIN feeds f ON f.id = coalesce(h.feed_id, s.feed_id)
            WHERE coalesce(h.hour, s.hour) > {kept} AND (coalesce(h.rows, 0), coalesce(h.set_aside, 0)) <> (coalesce(s.rows, 0), coalesce(s.set_aside, 0))",
        'what is set aside is in its receipt' => "SELECT s.feed_id, s.n || ' records are set aside with receipt ' || s.sequence || ', which says ' || coalesce(r.set_aside, 0) AS said
            FROM (SELECT feed_id, sequence, count(*) AS n, min(at) AS at FROM set_aside GROUP BY 1, 2) s JOIN feeds f ON f.id = s.feed_id AND s.sequence <= f.sequence AND s.at > {kept} LEFT JOIN receipts r ON r.feed_id = s.feed_id AND r.sequence = s.sequence WHERE s.n > coalesce(r.set_aside, 0)",
        'what was sent again is in its receipt' => "SELECT s.feed_id, s.n || ' records were sent again with receipt ' || s.sent_by || ', which read ' || coalesce(r.read, 0) AS said
            FROM (SELECT feed_id, sent_by, count(*) AS n, min(settled_at) AS at FROM set_aside WHERE state = 'sent' AND kind <> 'file' GROUP BY 1, 2) s JOIN feeds f ON f.id = s.feed_id AND s.sent_by <= f.sequence AND s.at > {kept} LEFT JOIN receipts r ON r.feed_id = s.feed_id AND r.sequence = s.sent_by WHERE s.n > coalesce(r.read, 0)",
    ];

    /** @return list<array{feed: string, rule: string, said: string}> what does not agree; at most 100 of each rule */
    public static function check(): array
    {
        $kept = "greatest(now() - interval '".(int) config('lighterman.keep.receipts_days')." days' + interval '1 hour', coalesce(f.books_from, '-infinity'))";
        $accounted = Receipt::carried().' + r.unchanged + r.superseded + r.dropped + r.set_aside';
        $wrong = [];
        // As of one moment, for receipts keep coming.
        DB::transaction(static function () use ($kept, $accounted, &$wrong): void {
            DB::transactionLevel() > 1 || DB::statement('SET TRANSACTION ISOLATION LEVEL REPEATABLE READ READ ONLY');
            foreach (self::RULES as $rule => $sql) {
                foreach (DB::select('SELECT f.name AS feed, x.said FROM ('.strtr($sql, ['{kept}' => $kept, '{accounted}' => "({$accounted})", '{carried}' => Receipt::carried()]).') x JOIN feeds f ON f.id = x.feed_id ORDER BY 1, 2 LIMIT 100') as $found) {
                    $wrong[] = ['feed' => $found->feed, 'rule' => $rule, 'said' => $found->said];
                }
            }
        });

        return $wrong;
    }
}
