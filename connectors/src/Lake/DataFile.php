<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Lake;

/** One file of rows. */
final readonly class DataFile
{
    /** What a folder says of rows that have no value. */
    public const NONE = '__HIVE_DEFAULT_PARTITION__';

    /**
     * @param  string  $name  below the lake's folder
     * @param  array<string, string|null>  $partition  values that its folders stand for, by partition
     * @param  int  $sequence  number of the receipt it landed with
     * @param  int  $era  which of the table's eras it was written in
     */
    public function __construct(public string $name, public int $rows, public int $bytes, public array $partition, public int $sequence, public int $era = 0)
    {
    }

    /** @return array<string, mixed> */
    public function toArray(): array
    {
        return ['name' => $this->name, 'rows' => $this->rows, 'bytes' => $this->bytes] + ($this->partition === [] ? [] : ['partition' => $this->partition]) + ['sequence' => $this->sequence] + ($this->era === 0 ? [] : ['era' => $this->era]);
    }

    /** @param  array<string, mixed>  $data */
    public static function fromArray(array $data): self
    {
        return new self($data['name'], $data['rows'], $data['bytes'], $data['partition'] ?? [], $data['sequence'], $data['era'] ?? 0);
    }

    /**
     * What the folders of a name say, as the convention writes it: `column=value`, with special characters as %XX.
     *
     * @return array<string, string|null>
     */
    public static function partitionOf(string $name): array
    {
        $values = [];
        foreach (array_slice(explode('/', $name), 0, -1) as $folder) {
            $at = strpos($folder, '=');
            if ($at !== false) {
                $value = rawurldecode(substr($folder, $at + 1));
                $values[rawurldecode(substr($folder, 0, $at))] = $value === self::NONE ? null : $value;
            }
        }

        return $values;
    }
}
