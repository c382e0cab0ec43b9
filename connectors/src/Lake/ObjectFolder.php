<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Lake;

use Aws\S3\Exception\S3Exception;
use Closure;
use League\Flysystem\FilesystemException;
use League\Flysystem\FilesystemOperator;
use League\Flysystem\StorageAttributes;
use Lighterman\Connectors\Objects\Fetched;
use Lighterman\Connectors\Objects\ObjectStore;
use Lighterman\Connectors\Scratch;
use Lighterman\Core\Port\Finding;
use Lighterman\Core\Trouble\FileTrouble;
use Lighterman\Core\Trouble\MissingTrouble;
use Lighterman\Core\Trouble\StatementTrouble;
use Lighterman\Core\Trouble\SystemTrouble;

/**
 * A lake in an object store. Files are made on this machine and then brought there; those that are read are fetched, and kept
 * for a while.
 */
final readonly class ObjectFolder implements Folder
{
    private FilesystemOperator $files;

    private Fetched $fetched;

    /**
     * @param  string  $here  absolute folder of this machine for files on their way
     * @param  int  $most  bytes of fetched files that stay there
     */
    public function __construct(private string $system, private ObjectStore $store, private string $here, int $most)
    {
        $this->files = $store->files();
        $this->fetched = new Fetched(self::fetchedIn($here, $store), $most);
    }

    /** Where fetched files of a store lie. */
    public static function fetchedIn(string $here, ObjectStore $store): string
    {
        return "{$here}/objects-{$store->id()}";
    }

    /** Where files of a store that are being made lie. */
    public static function madeIn(string $here, ObjectStore $store): string
    {
        return "{$here}/made-{$store->id()}";
    }

    public function exists(): bool
    {
        // A store that is not there says so itself at the first request.
        return true;
    }

    public function isFar(): bool
    {
        return true;
    }

    public function check(): array
    {
        $probe = Ledger::FOLDER.'/probe-'.bin2hex(random_bytes(6));
        try {
            $this->create($probe, 'first');
            $twice = $this->create($probe, 'second');
            $read = $this->read($probe);
            $this->delete($probe);
        } catch (SystemTrouble $trouble) {
            return [Finding::failed('Store', $trouble->getMessage(), (string) $trouble->remedy())];
        }
        $findings = [Finding::passed('Store', "Objects below {$this->store->where('')} at {$this->store->endpoint} can be written, read and removed.")];
        $findings[] = $twice || $read !== 'first'
            ? Finding::failed('Names', 'The store lets a second writer take a name that is taken, although it was asked not to (If-None-Match). A worker that has lost its lease could then write over what another has landed.', 'Use a store, or a version of it, that honours conditional writes.')
            : Finding::passed('Names', 'A name can be taken once only, which is how deliveries commit.');

        return $findings;
    }

    public function where(string $name): string
    {
        return $this->store->where($name);
    }

    public function read(string $name): ?string
    {
        try {
            return $this->files->read($name);
        } catch (FilesystemException $e) {
            return ObjectStore::isMissing($e) ? null : throw $this->store->trouble($this->system, "{$this->where($name)} cannot be read", $e);
        }
    }

    public function readAll(array $names): array
    {
        try {
            return $this->store->readAll($names);
        } catch (S3Exception $e) {
            throw $this->store->trouble($this->system, count($names).' objects cannot be read', $e);
        }
    }

    public function create(string $name, string $contents): bool
    {
        try {
            // A request that was sent again may meet what its first try has written.
            return $this->store->create($this->system, $name, $contents) || $this->read($name) === $contents;
        } catch (S3Exception $e) {
            throw $this->store->trouble($this->system, "{$this->where($name)} cannot be written", $e);
        }
    }

    public function workplace(string $feed, int $token): string
    {
        $this->leaveWorkplace($feed);
        $path = self::madeIn($this->here, $this->store)."/{$feed}/{$token}";
        mkdir($path, 0700, true);

        return $path;
    }

    public function leaveWorkplace(string $feed): void
    {
        Scratch::remove(self::madeIn($this->here, $this->store)."/{$feed}");
    }

    public function place(string $finished, string $name, ?Closure $alive): void
    {
        $file = fopen($finished, 'rb');
        try {
            $this->files->writeStream($name, $file, $alive === null ? [] : ['before_upload' => static fn () => $alive()]);
            $bytes = $this->files->fileSize($name);
        } catch (FilesystemException $e) {
            throw $this->store->trouble($this->system, "{$this->where($name)} cannot be written", $e);
        } finally {
            is_resource($file) && fclose($file);
        }
        if ($bytes !== filesize($finished)) {
            throw StatementTrouble::store($this->system, "{$this->system}: {$this->where($name)} cannot be written: {$this->store->endpoint} has {$bytes} bytes of it.", answers: true);
        }
        $this->fetched->keep($finished, $name);
    }

    public function local(string $name, ?int $bytes = null): string
    {
        return $name === '' ? "{$this->fetched->folder}/" : $this->fetched->path($name, function ($into) use ($name, $bytes): void {
            try {
                $this->store->fetch($this->system, $name, $into);
            } catch (S3Exception $e) {
                throw ObjectStore::isMissing($e) ? MissingTrouble::written($this->where($name)) : $this->store->trouble($this->system, "{$this->where($name)} cannot be read", $e);
            }
            $came = fstat($into)['size'] ?? 0;
            if ($bytes !== null && $came !== $bytes) {
                throw FileTrouble::damaged($this->where($name), "it has {$came} bytes, and had {$bytes}");
            }
        }, $bytes);
    }

    public function repeat(string $name, string $as): void
    {
        try {
            $this->files->copy($name, $as, ['retain_visibility' => false]);
        } catch (FilesystemException $e) {
            throw $this->store->trouble($this->system, "{$this->where($as)} cannot be written", $e);
        }
    }

    public function delete(string $name): void
    {
        try {
            $this->files->delete($name);
            $this->fetched->forget($name);
        } catch (FilesystemException $e) {
            throw $this->store->trouble($this->system, "{$this->where($name)} cannot be removed", $e);
        }
    }

    public function files(string $below): array
    {
        $names = array_map(static fn (StorageAttributes $a): string => $a->path(), array_filter($this->listed($below, deep: true), static fn (StorageAttributes $a): bool => $a->isFile()));
        sort($names);

        return $names;
    }

    public function entries(string $name): array
    {
        return array_map(static fn (StorageAttributes $a): string => basename($a->path()), $this->listed($name, deep: false));
    }

    /** @return list<StorageAttributes> */
    private function listed(string $name, bool $deep): array
    {
        try {
            return iterator_to_array($this->files->listContents($name, $deep), false);
        } catch (FilesystemException $e) {
            throw $this->store->trouble($this->system, "{$this->where($name)} cannot be listed", $e);
        }
    }
}
