<?php

declare(strict_types=1);

/** A million mixed changes of a table of ten columns, waiting in the log, landed by a process of its own. */
final class Drain
{
    private const COLUMNS = 'id bigint PRIMARY KEY, ticket text NOT NULL, grower integer NOT NULL, variety char(3) NOT NULL, gross numeric(9,1) NOT NULL, tare numeric(9,1), status text NOT NULL, note text, arrived_at timestamptz NOT NULL, updated_at timestamptz NOT NULL';

    public const CHANGES = 1_000_000;

    public static function measure(string $name, string $landing): void
    {
        $bench = new Bench;
        $source = $bench->connect('source');
        $bench->admin->exec('SELECT pg_drop_replication_slot(slot_name) FROM pg_replication_slots WHERE NOT active');
        $source->exec('CREATE TABLE loads ('.self::COLUMNS.')');
        $source->exec("INSERT INTO loads SELECT g, 'T' || lpad(g::text, 8, '0'), g % 1200, 'V' || lpad((g % 60)::text, 2, '0'), round((random() * 30000)::numeric, 1), round((random() * 9000)::numeric, 1), 'settled', CASE WHEN g % 7 = 0 THEN 'second weighing after rain' END, now() - g * interval '1 second', now() FROM generate_series(1, 500000) g");
        $file = tempnam(sys_get_temp_dir(), 'bench').'.yaml';
        file_put_contents($file, "source: source\ntarget: target\nfeeds:\n  - { table: public.loads, capture: log, landing: {$landing}, landed: bench.loads }\n");
        $bench->lighterman(['route:load', $file]);
        unlink($file);
        $bench->lighterman(['log:read', 'source → target', '--drain']);
        $source->exec("SELECT pg_create_logical_replication_slot('floor', 'pgoutput')");
        self::change($source);
        $source->exec('VACUUM ANALYZE loads');
        $end = $source->query('SELECT pg_current_wal_flush_lsn()')->fetchColumn();
        $source->exec('CHECKPOINT');
        $floor = $bench->shell("pg_recvlogical -h 127.0.0.1 -p {$bench->port} -U lighterman -d source -S floor --start -o proto_version=1 -o publication_names=lighterman_source_target -f /dev/null --endpos={$end}");
        $source->exec("SELECT pg_drop_replication_slot('floor')");
        $source->exec('CHECKPOINT');
        $ours = $bench->lighterman(['log:read', 'source → target', '--drain']);
        $target = $bench->connect('target');
        $sum = 'SELECT count(*) || \' \' || sum(hashtextextended(ROW(id, ticket, grower, variety, gross, tare, status, note, arrived_at, updated_at)::text, 0)) FROM ';
        $copy = $target->query($sum.'bench.loads'.($landing === 'versions' ? ' WHERE is_current' : ''))->fetchColumn();
        if ($source->query($sum.'loads')->fetchColumn() !== $copy) {
            fwrite(STDERR, "the copy does not equal the source\n");
            exit(1);
        }
        $read = (int) $bench->connect('lighterman')->query("SELECT sum(read) FROM receipts WHERE to_position->>'phase' = 'log' AND from_position->>'phase' = 'log'")->fetchColumn();
        $bench->tell($name, ['ratio' => $ours['seconds'] / $floor, 'ours' => number_format($ours['seconds'], 1).'s', 'floor' => number_format($floor, 1).'s', 'changes' => $read, 'peak' => round($ours['peak'] / 1e6).'MB']);
    }

    /** 60 % updates, 30 % inserts and 10 % deletes, in transactions of a hundred. */
    private static function change(PDO $source): void
    {
        $source->exec("DO \$\$ BEGIN FOR i IN 0..9999 LOOP
            UPDATE loads SET gross = gross + 1, status = 'sampled', updated_at = clock_timestamp() WHERE id IN (SELECT 1 + (i::bigint * 7919 + g * 6151) % 300000 FROM generate_series(1, 60) g);
            INSERT INTO loads SELECT 1000000 + i * 30 + g, 'N' || i, g, 'V01', 1200.5, NULL, 'arrived', NULL, now(), now() FROM generate_series(1, 30) g;
            DELETE FROM loads WHERE id BETWEEN 300001 + i * 10 AND 300010 + i * 10;
            COMMIT; END LOOP; END \$\$");
    }
}
