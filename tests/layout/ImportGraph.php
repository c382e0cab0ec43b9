<?php

declare(strict_types=1);

namespace Tests\Layout;

use RecursiveDirectoryIterator;
use RecursiveIteratorIterator;
use SplFileInfo;

/** Which files of the three houses speak of which others, read from the code itself. */
final readonly class ImportGraph
{
    public const ROOTS = ['core/src', 'connectors/src', 'app'];

    /**
     * @param  array<string, SourceFile>  $files  by path from the root
     * @param  array<string, list<string>>  $edges  paths that each file's names lead to
     */
    private function __construct(public array $files, public array $edges)
    {
    }

    public static function of(string $root): self
    {
        $files = $owners = [];
        foreach (self::ROOTS as $house) {
            foreach (new RecursiveIteratorIterator(new RecursiveDirectoryIterator("{$root}/{$house}", RecursiveDirectoryIterator::SKIP_DOTS)) as $file) {
                /** @var SplFileInfo $file */
                if ($file->getExtension() !== 'php') {
                    continue;
                }
                $path = substr($file->getPathname(), strlen($root) + 1);
                $files[$path] = new SourceFile($file->getPathname());
                $owners += array_fill_keys($files[$path]->declares, $path);
            }
        }
        ksort($files);
        $edges = [];
        foreach ($files as $path => $file) {
            $edges[$path] = array_values(array_diff(array_unique(array_intersect_key($owners, $file->names)), [$path]));
        }

        return new self($files, $edges);
    }

    /** @return array<string, list<string>> folders that each folder's files import from */
    public function folders(): array
    {
        $folders = [];
        foreach ($this->edges as $from => $to) {
            $folder = dirname($from);
            $folders[$folder] = array_values(array_unique([...$folders[$folder] ?? [], ...array_diff(array_map(dirname(...), $to), [$folder])]));
        }

        return $folders;
    }

    /** @return array<string, list<string>> the edges between files of some houses */
    public function within(string ...$houses): array
    {
        $is = static fn (string $path): bool => array_filter($houses, static fn (string $h): bool => str_starts_with($path, "{$h}/")) !== [];
        $found = array_filter($this->edges, $is, ARRAY_FILTER_USE_KEY);

        return array_map(static fn (array $to): array => array_values(array_filter($to, $is)), $found);
    }

    /**
     * Groups of nodes that can all be reached from each other (Tarjan 1972), of two nodes or more.
     *
     * @param  array<string, list<string>>  $edges
     * @return list<list<string>>
     */
    public static function circles(array $edges): array
    {
        $index = $low = $stack = $circles = [];
        $visit = static function (string $node) use (&$visit, &$index, &$low, &$stack, &$circles, $edges): void {
            $index[$node] = $low[$node] = count($index);
            $stack[$node] = true;
            foreach ($edges[$node] ?? [] as $next) {
                if (! isset($index[$next])) {
                    $visit($next);
                    $low[$node] = min($low[$node], $low[$next]);
                } elseif (isset($stack[$next])) {
                    $low[$node] = min($low[$node], $index[$next]);
                }
            }
            if ($low[$node] !== $index[$node]) {
                return;
            }
            $circle = [];
            do {
                $last = (string) array_key_last($stack);
                unset($stack[$last]);
                $circle[] = $last;
            } while ($last !== $node);
            if (count($circle) > 1) {
                sort($circle);
                $circles[] = $circle;
            }
        };
        foreach (array_keys($edges) as $node) {
            isset($index[$node]) || $visit($node);
        }
        sort($circles);

        return $circles;
    }
}
