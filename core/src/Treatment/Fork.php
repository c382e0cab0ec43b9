<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment;

use Lighterman\Core\Shape\TableName;

/** Records that satisfy a condition, and no earlier fork's, land in a table of their own, with treatments of their own. */
final readonly class Fork
{
    /** Places of records that take no fork: the feed's own table, dropped, set aside. */
    public const OWN = -1;

    public const DROPPED = -2;

    public const ASIDE = -3;

    /**
     * @param  string  $name  tells the fork from others of the feed
     * @param  string  $when  expression over the columns as they come out of the feed's sheet
     * @param  Sheet  $sheet  over those columns
     *
     * @throws InvalidTreatment
     */
    public function __construct(public string $name, public string $when, public TableName $landed, public Sheet $sheet = new Sheet)
    {
        if (! preg_match('/^[^\s\/?#][^\/?#]{0,62}$/u', $name)) {
            throw InvalidTreatment::of("\"{$name}\" cannot name a fork. Use 1 to 63 characters without / ? and #.");
        }
        if (trim($when) === '') {
            throw InvalidTreatment::of("The fork {$name} needs a condition.");
        }
    }

    /** The same with another sheet. */
    public function with(Sheet $sheet): self
    {
        return new self($this->name, $this->when, $this->landed, $sheet);
    }

    /** @return array<string, mixed> */
    public function toArray(): array
    {
        return ['name' => $this->name, 'when' => $this->when, 'landed' => (string) $this->landed] + $this->sheet->toArray();
    }

    /**
     * @param  array<string, mixed>  $data
     *
     * @throws InvalidTreatment
     */
    public static function fromArray(array $data): self
    {
        foreach (array_diff(array_keys($data), ['name', 'when', 'landed', 'columns', 'order']) as $unknown) {
            throw InvalidTreatment::of("A fork has no \"{$unknown}\": checks and rules belong to the feed.");
        }
        $landed = TableName::parse(trim((string) ($data['landed'] ?? '')));
        if ($landed->schema === '' || $landed->name === '') {
            throw InvalidTreatment::of('A fork needs the table it lands in, such as copy.orchards_steep.');
        }

        return new self(trim((string) ($data['name'] ?? '')) ?: $landed->name, trim((string) ($data['when'] ?? '')), $landed, Sheet::fromArray($data));
    }
}
