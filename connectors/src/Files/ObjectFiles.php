<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Files;

use Aws\S3\Exception\S3Exception;
use League\Flysystem\FilesystemException;
use Lighterman\Connectors\Objects\Fetched;
use Lighterman\Connectors\Objects\ObjectStore;
use Lighterman\Core\Capture\FilePattern;
use Lighterman\Core\Trouble\SystemTrouble;

/** Files in an object store. */
final readonly class ObjectFiles extends Store
{
    private Fetched $fetched;

    /**
     * @param  string  $here  absolute folder of this machine for files that the engine reads
     * @param  int  $most  bytes of them that stay
     */
    public function __construct(string $system, private ObjectStore $store, string $here, int $most)
    {
        parent::__construct($system, $store->files());
        $this->fetched = new Fetched($here, $most);
    }

    public function place(string $path): string
    {
        try {
            // Others may put something else under the name.
            $bytes = $this->files->fileSize($path);
            $version = hash('xxh128', "{$this->files->lastModified($path)} {$bytes}");

            return $this->fetched->path("{$path}.{$version}", fn ($into) => $this->store->fetch($this->system, $path, $into), $bytes);
        } catch (FilesystemException|S3Exception $e) {
            throw $this->trouble($path, $e);
        }
    }

    protected function open(string $path): array
    {
        try {
            return $this->store->open($path);
        } catch (S3Exception $e) {
            throw $this->trouble($path, $e);
        }
    }

    public function passedOver(?FilePattern $pattern): array
    {
        $over = [];
        try {
            foreach ($this->files->listContents($pattern?->folder() ?? '', $pattern?->isDeep() ?? true) as $file) {
                $why = $file->isFile() && ! FilePattern::isHidden($file->path()) ? self::oddity($file->path()) : null;
                if ($why !== null) {
                    $over[self::shown($file->path())] = $why;
                    if (count($over) === self::PASSED_OVER) {
                        break;
                    }
                }
            }
        } catch (FilesystemException $e) {
            throw $this->trouble('', $e);
        }

        return $over;
    }

    protected function demandThere(): void
    {
        // A store or bucket that is not there says so itself.
    }

    protected function trouble(string $path, FilesystemException|S3Exception $e): SystemTrouble
    {
        return $this->store->trouble($this->system, "{$this->store->where($path)} cannot be read", $e);
    }
}
