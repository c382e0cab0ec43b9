<?php

declare(strict_types=1);

namespace Lighterman\Core\Port;

use Lighterman\Core\Trouble\Explained;
use Lighterman\Core\Trouble\Remedy;
use RuntimeException;

/** A file that cannot be read to its end, or not as the feed reads files. What was read of it must not land. */
final class BrokenFile extends RuntimeException implements Explained
{
    private function __construct(string $message, public readonly string $path, public readonly string $fault)
    {
        parent::__construct($message);
    }

    public static function at(string $path, string $fault): self
    {
        return new self("{$path} cannot be read: {$fault}.", $path, $fault);
    }

    public function remedy(): Remedy
    {
        return new Remedy('Have whoever made the file make it again, or take it out of the folder.');
    }

    public function mayPass(): bool
    {
        return false;
    }
}
