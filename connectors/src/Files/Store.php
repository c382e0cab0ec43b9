<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Files;

use Generator;
use League\Flysystem\FileAttributes;
use League\Flysystem\FilesystemException;
use League\Flysystem\FilesystemOperator;
use Lighterman\Connectors\Objects\StoredSum;
use Lighterman\Core\Capture\FilePattern;
use Lighterman\Core\Format\FileFormat;
use Lighterman\Core\Port\BrokenFile;
use Lighterman\Core\Position\FileMark;
use Lighterman\Core\Trouble\FileTrouble;
use Lighterman\Core\Trouble\SystemTrouble;

/** Files that others leave somewhere. Paths are relative to that place. Every method may throw SystemTrouble. */
abstract readonly class Store
{
    private const PIECE = 262_144;

    /** So many that are passed over are named. */
    protected const PASSED_OVER = 100;

    public function __construct(protected string $system, protected FilesystemOperator $files)
    {
    }

    /** Says so if the place itself is missing, which must not be taken for an empty one. */
    abstract protected function demandThere(): void;

    /** An absolute path on this machine under which the engine finds a file. */
    abstract public function place(string $path): string;

    /** @param  string  $path  of the file that cannot be read, or of the folder that cannot be listed; empty for the place itself */
    abstract protected function trouble(string $path, FilesystemException $e): SystemTrouble;

    /** Has what is known of a file looked up anew. */
    protected function forget(string $path): void
    {
    }

    /** The clock that files are dated by, ISO 8601, UTC. */
    public static function now(): string
    {
        return gmdate('Y-m-d\TH:i:s\Z');
    }

    /** @return Generator<int, FileMark> that a pattern means; every file that is not hidden where there is none */
    public function files(?FilePattern $pattern = null): Generator
    {
        $this->demandThere();
        $folder = $pattern?->folder() ?? '';
        try {
            foreach ($this->files->listContents($folder, $pattern?->isDeep() ?? true) as $file) {
                if ($file instanceof FileAttributes && self::oddity($file->path()) === null && ($pattern === null ? ! FilePattern::isHidden($file->path()) : $pattern->matches($file->path()))) {
                    yield self::mark($file);
                }
            }
        } catch (FilesystemException $e) {
            // A folder of the pattern that is not made yet holds no file.
            if ($folder === '' || $this->files->directoryExists($folder)) {
                throw $this->trouble($folder, $e);
            }
        }
    }

    /** Why a path cannot be read, though it is there; null where it can. */
    protected static function oddity(string $path): ?string
    {
        return match (true) {
            ! mb_check_encoding($path, 'UTF-8') => 'its name is not UTF-8',
            preg_match('/[\x00-\x1F\x7F]/', $path) === 1 => 'its name holds a line break or another control character',
            str_contains($path, '\\') => 'its name holds a backslash',
            default => null,
        };
    }

    /**
     * What a pattern means and is never read.
     *
     * @return array<string, string> why, by name as it can be shown; at most PASSED_OVER
     */
    abstract public function passedOver(?FilePattern $pattern): array;

    /** A name as it can be shown, whatever it holds. */
    protected static function shown(string $path): string
    {
        return addcslashes(mb_scrub($path, 'UTF-8'), "\0..\37\177");
    }

    /**
     * The file as it is now; null if the place itself says that there is none.
     *
     * @throws SystemTrouble where that cannot be found out
     */
    public function again(FileMark $mark): ?FileMark
    {
        try {
            $this->forget($mark->path);

            return $this->files->fileExists($mark->path) ? new FileMark($mark->path, $this->files->fileSize($mark->path), gmdate('Y-m-d\TH:i:s\Z', $this->files->lastModified($mark->path))) : null;
        } catch (FilesystemException $e) {
            // It may have gone between two questions.
            return $this->isGone($mark->path) ? null : throw $this->trouble($mark->path, $e);
        }
    }

    private function isGone(string $path): bool
    {
        try {
            return ! $this->files->fileExists($path);
        } catch (FilesystemException) {
            return false;
        }
    }

    /**
     * @return array{resource, int|null, StoredSum|null} what a file holds, how many bytes that is where a break could be taken for the end, and their checksum where one is kept
     *
     * @throws FilesystemException
     */
    protected function open(string $path): array
    {
        return [$this->files->readStream($path), null, null];
    }

    /** Checksum of a file's bytes. */
    public function checksum(string $path): string
    {
        $hash = hash_init('xxh128');
        foreach ($this->bytes($path) as $piece) {
            hash_update($hash, $piece);
        }

        return hash_final($hash);
    }

    /**
     * The text of a file, unpacked where it is packed.
     *
     * @param  \HashContext|null  $hash  takes up the bytes as they are stored
     * @return Generator<int, string>
     *
     * @throws BrokenFile
     */
    public function pieces(string $path, ?\HashContext $hash = null): Generator
    {
        $bytes = $this->bytes($path, $hash);

        return self::unpacked($bytes, $path);
    }

    /** The first bytes of a file, unpacked. */
    public function head(string $path, int $most): string
    {
        $head = '';
        foreach ($this->pieces($path) as $piece) {
            $head .= $piece;
            if (strlen($head) >= $most) {
                break;
            }
        }

        return substr($head, 0, $most);
    }

    /** @return Generator<int, string> */
    private function bytes(string $path, ?\HashContext $hash = null): Generator
    {
        try {
            [$stream, $bytes, $sum] = $this->open($path);
        } catch (FilesystemException $e) {
            throw $this->trouble($path, $e);
        }
        $came = 0;
        try {
            while (($piece = fread($stream, self::PIECE)) !== false && $piece !== '') {
                $came += strlen($piece);
                $sum?->add($piece);
                if ($hash !== null) {
                    hash_update($hash, $piece);
                }
                yield $piece;
            }
        } finally {
            fclose($stream);
        }
        if ($bytes !== null && $came !== $bytes) {
            throw FileTrouble::cut($this->system, $path, $came, $bytes);
        }
        if ($sum?->agrees() === false) {
            throw FileTrouble::altered($this->system, $path);
        }
    }

    private static function mark(FileAttributes $file): FileMark
    {
        return new FileMark($file->path(), (int) $file->fileSize(), gmdate('Y-m-d\TH:i:s\Z', (int) $file->lastModified()));
    }

    /**
     * A packed file may have a name that does not say so; its first bytes do.
     *
     * @param  iterable<int, string>  $bytes
     * @return Generator<int, string>
     *
     * @throws BrokenFile
     */
    private static function unpacked(iterable $bytes, string $path): Generator
    {
        $rest = (static fn (): Generator => yield from $bytes)();
        $head = '';
        while ($rest->valid() && strlen($head) < 2) {
            $head .= $rest->current();
            $rest->next();
        }
        $whole = (static function () use ($head, $rest): Generator {
            if ($head !== '') {
                yield $head;
            }
            for (; $rest->valid(); $rest->next()) {
                yield $rest->current();
            }
        })();
        yield from FileFormat::isPacked($path) || str_starts_with($head, "\x1F\x8B") ? Unpacked::of($whole, $path) : $whole;
    }
}
