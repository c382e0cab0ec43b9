<?php

declare(strict_types=1);

namespace Tests\Layout;

use Illuminate\Filesystem\Filesystem;
use Illuminate\View\Compilers\BladeCompiler;
use PHPUnit\Framework\Attributes\Test;
use PHPUnit\Framework\TestCase;
use RecursiveDirectoryIterator;
use RecursiveIteratorIterator;
use SplFileInfo;

/** What docs say of the house, held against the code itself. Prints the import graph by folder. */
final class LayoutTest extends TestCase
{
    private const ROOT = __DIR__.'/../..';

    private const LINES = 350;

    private const FIELDS = 12;

    private const PARAMETERS = 8;

    /** Functions through which the clock, chance, files, the network or the machine would get into the core. */
    private const OUTSIDE = '/^(time|date|microtime|hrtime|strtotime|mktime|date_create\w*|getdate|localtime|sleep|usleep|rand|mt_rand|mt_srand|srand|random_\w+|uniqid|lcg_value|shuffle|str_shuffle|array_rand|spl_object_(id|hash)'
        .'|fopen|f(read|write|gets|put\w+|get\w+|lock|stat)|file|file_\w+|readfile|unlink|rename|mkdir|rmdir|opendir|scandir|glob|tmpfile|tempnam|touch|stat|is_(file|dir|readable|writable)'
        .'|curl_\w+|pg_\w+|mysqli_\w+|sqlite_\w+|stream_\w+|socket_\w+|fsockopen|gethost\w*|getmypid|getenv|putenv|exec|shell_exec|passthru|system|proc_\w+|popen|mail|new PDO)(\(\))?$|^new DateTime(Immutable)?\(\)$/';

    private static ?ImportGraph $graph = null;

    #[Test]
    public function imports_run_one_way(): void
    {
        $allowed = ['core/src' => ['core/src'], 'connectors/src' => ['connectors/src', 'core/src'], 'app' => ImportGraph::ROOTS];
        $foreign = ['core/src' => '/^(Illuminate|Laravel|Carbon|PDO|App|Tests)\b/', 'connectors/src' => '/^(Illuminate|Laravel|Carbon|App|Tests)\b/', 'app' => '/^Tests\b/'];
        $offences = [];
        foreach (self::graph()->edges as $from => $to) {
            $house = self::house($from);
            $offences = [...$offences, ...array_map(static fn (string $path): string => "{$from} → {$path}", array_filter($to, static fn (string $path): bool => ! in_array(self::house($path), $allowed[$house], true)))];
            $offences = [...$offences, ...array_map(static fn (string $name): string => "{$from} → {$name}", preg_grep($foreign[$house], array_map(strval(...), array_keys(self::graph()->files[$from]->names))) ?: [])];
        }
        self::assertSame([], $offences);
        self::assertGreaterThan(400, count(self::graph()->files));
    }

    #[Test]
    public function stand_ins_import_nothing_of_the_three_houses(): void
    {
        $looked = 0;
        foreach (new RecursiveIteratorIterator(new RecursiveDirectoryIterator(self::ROOT.'/stand-ins', RecursiveDirectoryIterator::SKIP_DOTS)) as $file) {
            /** @var SplFileInfo $file */
            if ($file->getExtension() === 'php') {
                $looked++;
                self::assertSame([], preg_grep('/^(Lighterman|App|Illuminate)\b/', array_map(strval(...), array_keys((new SourceFile($file->getPathname()))->names))), $file->getPathname());
            }
        }
        self::assertGreaterThan(2, $looked);
    }

    #[Test]
    public function the_core_has_no_clock_no_chance_and_no_outside(): void
    {
        self::assertSame([], array_filter(array_map(self::outside(...), array_filter(self::graph()->files, static fn (string $path): bool => str_starts_with($path, 'core/'), ARRAY_FILTER_USE_KEY))));
    }

    #[Test]
    public function a_clock_in_the_core_would_be_noticed(): void
    {
        $file = (string) tempnam(sys_get_temp_dir(), 'clock');
        file_put_contents($file, '<?php namespace A; final class B { function c() { return [\hrtime(true), time(), new \DateTimeImmutable(), new \DateTimeImmutable("2026-01-01"), random_int(1, 2), $this->time(), self::date()]; } }');
        $found = self::outside(new SourceFile($file));
        unlink($file);
        self::assertSame(['hrtime', 'time()', 'new DateTimeImmutable()', 'random_int'], $found);
    }

    #[Test]
    public function folders_import_in_no_circle(): void
    {
        $folders = self::graph()->folders();
        fwrite(STDERR, "\nImports by folder:\n");
        ksort($folders);
        foreach ($folders as $from => $to) {
            sort($to);
            fwrite(STDERR, "  {$from} → ".($to === [] ? 'nothing' : implode(', ', $to))."\n");
        }
        self::assertSame([], ImportGraph::circles($folders));
    }

    #[Test]
    public function files_of_core_and_connectors_import_in_no_circle(): void
    {
        self::assertSame([], ImportGraph::circles(self::graph()->within('core', 'connectors')));
    }

    #[Test]
    public function a_circle_would_be_noticed(): void
    {
        self::assertSame([['a', 'b', 'c']], ImportGraph::circles(['a' => ['b'], 'b' => ['c', 'd'], 'c' => ['a'], 'd' => ['d'], 'e' => ['a']]));
    }

    #[Test]
    public function files_classes_and_constructors_stay_small(): void
    {
        $large = [];
        foreach (self::graph()->files as $path => $file) {
            $large[] = $file->lines > self::LINES ? "{$path}: more than ".self::LINES.' lines' : null;
            $large[] = $file->mutable > self::FIELDS ? "{$path}: more than ".self::FIELDS.' mutable fields' : null;
            $large[] = $file->constructorParameters > self::PARAMETERS ? "{$path}: more than ".self::PARAMETERS.' parameters' : null;
        }
        self::assertSame([], array_values(array_filter($large)));
    }

    /** Which captures there are a connector says of itself; everything else asks the capture. */
    #[Test]
    public function nobody_asks_which_capture_it_is(): void
    {
        $asking = '/Capture::(?:Log|Trigger|Watermark|Reload|Files)\b|capture(?:->value)?\s*(?:===|!==|==|!=)\s*[\'"]|[\'"](?:log|trigger|watermark)[\'"]\s*(?:===|!==)|\[[\'"](?:log|trigger)[\'"], [\'"](?:log|trigger)[\'"]/';
        self::assertMatchesRegularExpression($asking, "@if (\$definition->origin->capture->value === 'watermark')");
        $found = [];
        foreach (['app', 'core/src', 'resources'] as $folder) {
            /** @var SplFileInfo $file */
            foreach (new RecursiveIteratorIterator(new RecursiveDirectoryIterator(self::ROOT."/{$folder}", RecursiveDirectoryIterator::SKIP_DOTS)) as $file) {
                $path = substr($file->getPathname(), strlen(self::ROOT) + 1);
                if (! str_starts_with($path, 'core/src/Capture/') && $path !== 'core/src/Guarantee/SourceCapabilities.php' && preg_match($asking, (string) file_get_contents($file->getPathname())) === 1) {
                    $found[] = $path;
                }
            }
        }
        self::assertSame([], $found);
    }

    /** What a landing is like the landing itself says; a target may choose by name what writes it. */
    #[Test]
    public function nobody_asks_which_landing_it_is(): void
    {
        $found = [];
        foreach (self::graph()->files as $path => $file) {
            if (! str_starts_with($path, 'core/src/Landing/') && ! str_starts_with($path, 'core/src/Capture/') && preg_match('/(?:===|!==)\s*Landing::|in_array\(.*Landing::|landing->value\s*(?:===|!==)/', (string) file_get_contents(self::ROOT."/{$path}")) === 1) {
                $found[] = $path;
            }
        }
        self::assertSame([], $found);
    }

    /** Templates are not analysed as the rest is, and a class that is not there is only missed when the line is drawn. */
    #[Test]
    public function templates_name_only_classes_that_there_are(): void
    {
        $blade = new BladeCompiler(new Filesystem, sys_get_temp_dir());
        $unknown = [];
        /** @var SplFileInfo $file */
        foreach (new RecursiveIteratorIterator(new RecursiveDirectoryIterator(self::ROOT.'/resources/views', RecursiveDirectoryIterator::SKIP_DOTS)) as $file) {
            $unknown = [...$unknown, ...array_map(static fn (string $class): string => "{$file->getBasename()}: {$class}", self::unknownClasses(str_replace('<x-', '<', (string) file_get_contents($file->getPathname())), $blade))];
        }
        self::assertSame([], $unknown);
        self::assertSame(['Nobody', 'App\\Support\\Nothing'], self::unknownClasses('@if ($a === Nobody::Here) {{ App\\Support\\Nothing::at($a) }} {{ App\\Support\\Say::at($a) }} @endif', $blade));
    }

    /** @return list<string> */
    private static function unknownClasses(string $template, BladeCompiler $blade): array
    {
        $php = $blade->compileString($template);
        preg_match_all('/\buse ([\w\\\\]+);|\buse ([\w\\\\]+\\\\)\{([\w, ]+)\};/', $php, $uses, PREG_SET_ORDER);
        $aliases = [];
        foreach ($uses as $use) {
            foreach (isset($use[3]) ? array_map(static fn (string $name): string => $use[2].trim($name), explode(',', $use[3])) : [$use[1]] as $name) {
                $aliases[substr((string) strrchr("\\{$name}", '\\'), 1)] = $name;
            }
        }
        $tokens = array_values(array_filter(\PhpToken::tokenize($php), static fn (\PhpToken $t): bool => ! $t->isIgnorable()));
        $found = array_values($aliases);
        foreach ($tokens as $i => $token) {
            if ($token->is([T_STRING, T_NAME_QUALIFIED, T_NAME_FULLY_QUALIFIED]) && ($tokens[$i - 1]->is([T_NEW, T_INSTANCEOF]) || $tokens[$i + 1]->is(T_DOUBLE_COLON))) {
                $found[] = $aliases[$token->text] ?? $token->text;
            }
        }

        return array_values(array_filter(array_unique($found), static fn (string $name): bool => ! class_exists($name) && ! interface_exists($name) && ! enum_exists($name) && ! in_array($name, ['Gate', 'Js', 'Vite'], true)));
    }

    /** @return list<string> */
    private static function outside(SourceFile $file): array
    {
        return array_values(preg_grep(self::OUTSIDE, $file->calls) ?: []);
    }

    private static function house(string $path): string
    {
        return str_starts_with($path, 'app/') ? 'app' : implode('/', array_slice(explode('/', $path), 0, 2));
    }

    private static function graph(): ImportGraph
    {
        return self::$graph ??= ImportGraph::of(self::ROOT);
    }
}
