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
     * @param  string|null  $sum  of what it holds, as sumOf() has it; null where nobody made one
     */
    public function __construct(public string $name, public int $rows, public int $bytes, public array $partition, public int $sequence, public int $era = 0, public ?string $sum = null)
    {
    }

    /** @return array<string, mixed> */
    public function toArray(): array
    {
        return ['name' => $this->name, 'rows' => $this->rows, 'bytes' => $this->bytes] + ($this->partition === [] ? [] : ['partition' => $this->partition]) + ['sequence' => $this->sequence] + ($this->era === 0 ? [] : ['era' => $this->era]) + ($this->sum === null ? [] : ['sum' => $this->sum]);
    }

    /** @param  array<string, mixed>  $data */
    public static function fromArray(array $data): self
    {
        return new self($data['name'], $data['rows'], $data['bytes'], $data['partition'] ?? [], $data['sequence'], $data['era'] ?? 0, $data['sum'] ?? null);
    }

    public static function sumOf(string $path): string
    {
        return (string) hash_file('xxh128', $path);
    }

    /** The folder of the rows with one value of a partition. What others would take for none, or end the name, is written as %XX. */
    public static function folder(string $partition, ?string $value): string
    {
        $written = $value === null ? self::NONE : rawurlencode($value);

        return rawurlencode($partition).'='.($value !== null && self::isNone($written) ? sprintf('%%%02X', ord($value)).substr($written, 1) : $written);
    }

    /** Whether a folder's value, as it is written, says that there is none. */
    private static function isNone(string $written): bool
    {
        return $written === self::NONE || strtolower($written) === 'null';
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
                $written = substr($folder, $at + 1);
                $values[rawurldecode(substr($folder, 0, $at))] = self::isNone($written) ? null : rawurldecode($written);
            }
        }

        return $values;
    }
}
