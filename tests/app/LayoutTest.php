<?php

declare(strict_types=1);

namespace Tests\App;

use PHPUnit\Framework\Attributes\Test;
use PHPUnit\Framework\TestCase;
use RecursiveDirectoryIterator;
use RecursiveIteratorIterator;
use SplFileInfo;

/** Imports run one way: app → connectors → core; stand-ins import nothing of the three. */
final class LayoutTest extends TestCase
{
    #[Test]
    public function imports_run_one_way(): void
    {
        $forbidden = [
            'core/src' => '/^\s*use (Lighterman\\\\Connectors|App|Illuminate)\\\\|(?<![:>\w])(?<!function )(PDO|pg_\w+|curl_\w+|file_get_contents|fopen|date|time|microtime)\s*\(|new \\\\?DateTime(Immutable)?\(\s*\)/m',
            'connectors/src' => '/^\s*use (App|Illuminate)\\\\/m',
            'stand-ins' => '/(Lighterman|App|Illuminate)\\\\/',
        ];
        $offences = [];
        $looked = 0;
        foreach ($forbidden as $folder => $pattern) {
            foreach (new RecursiveIteratorIterator(new RecursiveDirectoryIterator(__DIR__."/../../{$folder}", RecursiveDirectoryIterator::SKIP_DOTS)) as $file) {
                /** @var SplFileInfo $file */
                $looked++;
                if ($file->getExtension() === 'php' && preg_match($pattern, (string) file_get_contents($file->getPathname()), $m)) {
                    $offences[] = "{$folder}: {$file->getFilename()}: {$m[0]}";
                }
            }
        }
        self::assertSame([], $offences);
        self::assertGreaterThan(50, $looked);
    }
}
