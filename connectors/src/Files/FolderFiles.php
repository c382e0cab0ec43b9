<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Files;

use FilesystemIterator;
use League\Flysystem\FilesystemException;
use League\Flysystem\FilesystemOperator;
use Lighterman\Core\Capture\FilePattern;
use Lighterman\Core\Trouble\FileTrouble;
use Lighterman\Core\Trouble\MissingTrouble;
use Lighterman\Core\Trouble\SystemTrouble;
use RecursiveDirectoryIterator;
use RecursiveIteratorIterator;
use SplFileInfo;

/** Files in a folder of this machine. */
final readonly class FolderFiles extends Store
{
    /** @param  string  $root  the folder, absolute */
    public function __construct(string $system, private string $root, FilesystemOperator $files)
    {
        parent::__construct($system, $files);
    }

    public function place(string $path): string
    {
        return "{$this->root}/{$path}";
    }

    public function passedOver(?FilePattern $pattern): array
    {
        $this->demandThere();
        $folder = rtrim("{$this->root}/{$pattern?->folder()}", '/');
        $over = [];
        if (! is_dir($folder)) {
            return [];
        }
        $all = new RecursiveIteratorIterator(new RecursiveDirectoryIterator($folder, FilesystemIterator::SKIP_DOTS), RecursiveIteratorIterator::LEAVES_ONLY, RecursiveIteratorIterator::CATCH_GET_CHILD);
        $pattern?->isDeep() === false && $all->setMaxDepth(0);
        /** @var SplFileInfo $file */
        foreach ($all as $file) {
            $path = substr($file->getPathname(), strlen(rtrim($this->root, '/')) + 1);
            $why = $file->isLink() ? 'it is a link' : self::oddity($path);
            if ($why !== null && ! FilePattern::isHidden($path) && ($pattern === null || ! $file->isLink() || self::oddity($path) !== null || $pattern->matches($path))) {
                $over[self::shown($path)] = $why;
                if (count($over) === self::PASSED_OVER) {
                    break;
                }
            }
        }

        return $over;
    }

    protected function demandThere(): void
    {
        if (! is_dir($this->root) || ! is_readable($this->root)) {
            throw MissingTrouble::folder($this->system, "{$this->system}: the folder {$this->root} ".(is_dir($this->root) ? 'may not be read.' : 'is not there.'), $this->root, is_dir($this->root) ? 'Give the account that Lighterman runs under the right to read it.' : 'Mount or make it, or correct the path. Lighterman tries again.');
        }
    }

    protected function forget(string $path): void
    {
        clearstatcache(true, $this->place($path));
    }

    protected function trouble(string $path, FilesystemException $e): SystemTrouble
    {
        return FileTrouble::unreadable($this->system, $path);
    }
}
