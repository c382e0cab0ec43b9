<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Tests;

use Lighterman\Core\Port\TargetSystem;
use PHPUnit\Framework\Attributes\Test;

/** Changes of a log on their way into PostgreSQL. */
final class LogLandingTest extends ChangeLandingCase
{
    protected function into(): TargetSystem
    {
        return $this->target;
    }

    protected function landed(string $sql): array
    {
        return $this->house->rows($sql);
    }

    #[Test]
    public function every_type_arrives_as_it_left(): void
    {
        $this->gate->run("CREATE TYPE mood AS ENUM ('calm', 'windy');
            CREATE TABLE everything (id bigint PRIMARY KEY, b boolean, s smallint, n numeric, n2 numeric(12,4), r real, d double precision, t text, v varchar(20), c char(5), y bytea, da date, ti time, tz timetz, ts timestamp, tt timestamptz, i interval, u uuid, j json, jb jsonb, e mood, li int[], lt text[], ip inet,
                total numeric GENERATED ALWAYS AS (n2 * 2) STORED)");
        $this->log->ensure([new \Lighterman\Core\Shape\TableName('public', 'everything')], true);
        $feed = $this->logFeed('public.everything', ['id']);
        self::assertNotContains('total', $feed->carried()->names(), 'what the source computes is not in its log');
        $this->gate->run(<<<'SQL'
            INSERT INTO everything VALUES
            (1, true, -32768, 12345678901234567890.123456789, 12.3400, 1.1, 0.1::float8 + 0.2, E'tab\t line\n back\\slash \\N', 'é', 'ab', '\x00ff0a'::bytea, '2026-02-28', '23:59:59.123456', '12:00+05:30', 'infinity', '2026-03-29 01:30:00.000001+01', '1 mon -2 days 00:00:01.5', gen_random_uuid(), '{"a" : 1}', '{"b": [1, null]}', 'windy', '{{1,2},{3,NULL}}', ARRAY['a,b', NULL, E'q"\\'], '10.0.0.1/8'),
            (2, NULL, NULL, 'NaN', NULL, 'Infinity', '-0', '', '', '', '', 'infinity', NULL, NULL, '0044-03-15 BC', '-infinity', '-00:00:00.000001', NULL, 'null', 'null', NULL, '{}', '{}', NULL)
            SQL);
        $landing = $this->landing($feed);
        self::assertSame(2, $this->land($landing, $feed)->inserted);
        $landing->close();
        $this->assertCopied($feed);
    }
}
