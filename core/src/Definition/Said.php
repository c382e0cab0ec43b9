<?php

declare(strict_types=1);

namespace Lighterman\Core\Definition;

use InvalidArgumentException;
use Lighterman\Core\Capture\FileReading;
use Lighterman\Core\Landing\FileWriting;
use Lighterman\Core\Landing\Partition;
use Lighterman\Core\Treatment\InvalidTreatment;
use Lighterman\Core\Treatment\Treatment;
use Lighterman\Core\Trouble\InvalidDefinition;

/** Parts of a definition as they are written in a file or typed, read with errors that name the place. */
final class Said
{
    /**
     * @param  list<string>  $said  as Partition::parse() reads them
     * @return list<Partition>
     *
     * @throws InvalidDefinition
     */
    public static function partitions(string $name, array $said): array
    {
        return self::at("{$name}: partition_by", static fn (): array => Partition::all($said), 'docs/guide/lake.md tells what can be written.');
    }

    /**
     * @param  array<string, mixed>  $data  as FileWriting::toArray() gives it
     *
     * @throws InvalidDefinition
     */
    public static function writing(string $name, array $data): FileWriting
    {
        return self::at("{$name}: write_as", static fn (): FileWriting => FileWriting::fromArray($data), 'docs/guide/lake.md tells what can be written.');
    }

    /**
     * @param  array<string, mixed>  $data  as FileReading::toArray() gives it
     *
     * @throws InvalidDefinition
     */
    public static function files(string $name, array $data): FileReading
    {
        return self::at("{$name}: files", static fn (): FileReading => FileReading::fromArray($data), 'Change it, then try again.');
    }

    /**
     * @param  array<string, mixed>  $data  as Treatment::toArray() gives it
     *
     * @throws InvalidDefinition
     */
    public static function treatment(string $name, array $data): Treatment
    {
        return self::at("{$name}: treatment", static fn (): Treatment => Treatment::fromArray($data), 'docs/guide/treatments.md tells what can be written.');
    }

    /**
     * @template T
     *
     * @param  callable(): T  $read
     * @return T
     *
     * @throws InvalidDefinition
     */
    private static function at(string $place, callable $read, string $remedy): mixed
    {
        try {
            return $read();
        } catch (InvalidArgumentException|InvalidTreatment $e) {
            throw InvalidDefinition::at($place, rtrim(lcfirst($e->getMessage()), '.'), $remedy);
        }
    }
}
