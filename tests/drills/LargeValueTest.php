<?php

declare(strict_types=1);

namespace Tests\Drills;

use PHPUnit\Framework\Attributes\Test;
use PHPUnit\Framework\Attributes\TestWith;

/** A value just below the limit, in a process of its own, whose memory the system has counted. */
final class LargeValueTest extends DrillCase
{
    private const VALUE_MB = 60;

    private const MEMORY_MB = 256;

    #[Test]
    #[TestWith(['log'])]
    #[TestWith(['trigger'])]
    public function a_value_below_the_limit_takes_a_reader_little_memory_and_one_beyond_it_is_set_aside(string $capture): void
    {
        $this->gate->run("CREATE TABLE papers (id int PRIMARY KEY, paper text); ALTER TABLE papers ALTER paper SET STORAGE EXTERNAL; INSERT INTO papers VALUES (1, 'short')");
        $this->loadRoute("source: gate\ntarget: house\nfeeds:\n  - { table: public.papers, capture: {$capture}, landed: l.papers }\n");
        $this->command(['log:read', 'gate → house', '--drain']);
        $this->gate->run("INSERT INTO papers VALUES (2, repeat('0123456789abcdef', 65536 * ".self::VALUE_MB.'))');
        $script = '$p = proc_open(array_slice($argv, 1), [], $pipes); $code = proc_close($p); fwrite(STDERR, (string) intdiv(getrusage(1)["ru_maxrss"], 1024)); exit($code);';
        $process = proc_open([PHP_BINARY, '-r', $script, '--', PHP_BINARY, 'bin/lighterman', 'log:read', 'gate → house', '--drain'], [['file', '/dev/null', 'r'], ['file', '/dev/null', 'w'], ['pipe', 'w']], $pipes, null, $this->environment());
        self::assertIsResource($process);
        $peak = (int) stream_get_contents($pipes[2]);
        self::assertSame(0, proc_close($process));
        self::assertSame((string) (self::VALUE_MB << 20), $this->house->value('SELECT max(length(paper)) FROM l.papers'));
        self::assertGreaterThan(self::VALUE_MB, $peak);
        self::assertLessThan(self::MEMORY_MB, $peak, 'MB');

        $this->gate->run("INSERT INTO papers VALUES (3, repeat('0123456789abcdef', 65536 * 65)), (4, 'short')");
        $this->command(['log:read', 'gate → house', '--drain']);
        self::assertSame('1, 2, 4', $this->house->value("SELECT string_agg(id::text, ', ' ORDER BY id) FROM l.papers"));
        self::assertSame('too_long', $this->own->value('SELECT string_agg(reason, \' \') FROM set_aside'));
    }
}
