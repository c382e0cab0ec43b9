<?php

declare(strict_types=1);

namespace Lighterman\Core\Capture;

use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Shape\Type;

/** What was found by looking at the files that a pattern means. */
final readonly class FileFacts
{
    /**
     * @param  Shape  $shape  columns of the files, then those that their folders give, then path and line
     * @param  array<string, string>  $evidence  why they are read so, by what was detected
     * @param  array<string, string>  $columns  what speaks for the type of a column, by its name
     * @param  array<string, list<string|null>>  $samples  some values, by column
     * @param  array<string, Type>  $found  types that were found, by column, whatever a person says
     */
    public function __construct(public FileReading $reading, public Shape $shape, public array $evidence, public array $columns, public array $samples, public array $found, public FilesFound $files)
    {
    }
}
