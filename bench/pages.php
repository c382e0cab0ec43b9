<?php

declare(strict_types=1);

/*
 * Watch and Feeds with 1,000 feeds, 100,000 runs and six hours of minutes behind in the database, over HTTP from a server with one
 * worker. The floor is the sign-in page's time, which is what the framework itself costs.
 */

require __DIR__.'/Bench.php';
require __DIR__.'/Web.php';

$bench = new Bench;
$own = $bench->connect('lighterman');
$own->exec(<<<'SQL'
    INSERT INTO routes (name, source_id, target_id) SELECT s.name || ' → ' || t.name, s.id, t.id FROM systems s, systems t;
    INSERT INTO feeds (uid, route_id, name, landed, capture, standing, promise_seconds, complete_up_to, due_at, sequence, last_landed_at, paused_at)
    SELECT gen_random_uuid(), (SELECT min(id) FROM routes) + g % 4, 'feed_' || g, 'gate.table_' || g, 'watermark', CASE WHEN g % 97 = 0 THEN 'failed' ELSE 'carried' END, 60 + g % 900,
           now() - (random() * random() * 900) * interval '1 second', now(), 100, now(), CASE WHEN g % 50 = 0 THEN now() END FROM generate_series(1, 1000) g;
    INSERT INTO definitions (feed_id, version, person, created_at, body)
    SELECT id, 1, 'bench', now(), jsonb_build_object('name', name, 'table', 'public.table_' || id, 'capture', 'watermark', 'watermark', 'updated_at', 'watermark_unique', false, 'overlap', 0, 'key', '["id"]'::jsonb,
        'landing', 'upsert', 'landed', landed, 'leave_out', '[]'::jsonb, 'stamps', '{"delivered_at":"delivered_at","source_position":"source_position"}'::jsonb, 'schedule', '{"every_minutes":5}'::jsonb, 'promise_seconds', promise_seconds, 'take_over', false,
        'shape', jsonb_build_object('key', '["id"]'::jsonb, 'columns', (SELECT jsonb_agg(jsonb_build_object('name', 'column_' || c, 'type', '{"kind":"text"}'::jsonb, 'nullable', true)) FROM generate_series(1, 20) c))) FROM feeds;
    UPDATE feeds f SET definition_id = d.id FROM definitions d WHERE d.feed_id = f.id;
    INSERT INTO runs (feed_id, definition_id, kind, state, why, worker, window_from, window_to, read, inserted, started_at, ended_at)
    SELECT f.id, f.definition_id, 'increment', 'done', 'schedule', 'w', 'a', 'b', 500, 500, now() - r * interval '5 minutes', now() - r * interval '5 minutes' FROM feeds f, generate_series(1, 100) r;
    INSERT INTO receipts (feed_id, sequence, run_id, from_position, to_position, read, inserted, updated, unchanged, deleted, dropped, set_aside, bytes, checksum, landed_at)
    SELECT feed_id, row_number() OVER (PARTITION BY feed_id ORDER BY id), id, '{"phase":"start"}', '{"phase":"after"}', 500, 500, 0, 0, 0, 0, 0, 1000, 'x', started_at FROM runs;
    INSERT INTO carried_hours (feed_id, hour, rows) SELECT id, date_trunc('hour', now()) - h * interval '1 hour', 500 FROM feeds, generate_series(0, 23) h;
    INSERT INTO behind_minutes (feed_id, minute, seconds, kept) SELECT id, date_trunc('minute', now()) - m * interval '1 minute', random() * 100, true FROM feeds, generate_series(0, 359) m;
    INSERT INTO behind_fives (feed_id, at, seconds) SELECT feed_id, date_bin('5 minutes', minute, 'epoch'), max(seconds) FROM behind_minutes GROUP BY 1, 2;
    SQL);
$own->exec('VACUUM ANALYZE');
$own->exec('CHECKPOINT');

$web = new Web($bench);
$time = static fn (string $path, string $holds): float => $web->p95(static fn (): string => $web->get($path), $holds);
$floor = $time('/sign-in', 'Sign in');
$web->signIn();
$watch = $time('/watch', '1'."\u{202F}".'000 feeds');
$feeds = $time('/feeds', 'feed_1');
$bench->tell('pages', ['ratio' => max($watch, $feeds) / $floor, 'ours' => number_format(max($watch, $feeds), 0).'ms', 'floor' => number_format($floor, 0).'ms', 'watch_p95' => number_format($watch, 0).'ms', 'feeds_p95' => number_format($feeds, 0).'ms', 'feeds' => 1000, 'runs' => 100_000]);
