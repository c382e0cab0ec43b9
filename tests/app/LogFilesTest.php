<?php

declare(strict_types=1);

namespace Tests\App;

use App\Support\LogFiles;
use PHPUnit\Framework\Attributes\Test;
use PHPUnit\Framework\TestCase;

final class LogFilesTest extends TestCase
{
    #[Test]
    public function a_log_that_has_grown_large_is_put_aside_while_its_writer_goes_on(): void
    {
        $folder = sys_get_temp_dir().'/logs-'.bin2hex(random_bytes(4));
        mkdir($folder);
        file_put_contents("{$folder}/small.log", 'one line');
        $writer = fopen("{$folder}/worker.log", 'a');
        self::assertIsResource($writer);
        try {
            for ($n = 1; $n <= 5; $n++) {
                fwrite($writer, "this is file {$n}\n".str_repeat('x', 11 << 20));
                LogFiles::rotate(["{$folder}/*.log", "{$folder}/none/*.log"]);
            }
            fwrite($writer, "and on\n");
            self::assertSame("and on\n", file_get_contents("{$folder}/worker.log"));
            self::assertSame(['small.log', 'worker.log', 'worker.log.1', 'worker.log.2', 'worker.log.3'], array_map(basename(...), glob("{$folder}/*") ?: []));
            self::assertSame(['this is file 5', 'this is file 4', 'this is file 3'], array_map(static fn (int $n): string => (string) file_get_contents("{$folder}/worker.log.{$n}", length: 14), [1, 2, 3]));
            self::assertSame('one line', file_get_contents("{$folder}/small.log"));
        } finally {
            fclose($writer);
            array_map(unlink(...), glob("{$folder}/*") ?: []);
            rmdir($folder);
        }
    }
}
