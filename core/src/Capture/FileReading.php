<?php

declare(strict_types=1);

namespace Lighterman\Core\Capture;

use InvalidArgumentException;
use Lighterman\Core\Format\Delimited\Dialect;
use Lighterman\Core\Format\FileFormat;
use Lighterman\Core\Format\Rows\ValueForm;
use Lighterman\Core\Shape\Shape;

/** How a feed's files are read, and which of them are taken when. */
final readonly class FileReading
{
    /**
     * @param  Dialect|null  $dialect  for delimited text
     * @param  array<string, string>  $dates  how dates are written, by column, where not as ISO 8601 has them
     * @param  ChangedFile  $changed  what happens to a taken file that has changed since
     * @param  bool  $checksum  whether a file with another time counts as changed only if its bytes are others
     * @param  int  $quiet  seconds without writing before a file is taken
     * @param  bool  $fit  whether columns that a file lacks are null and those it has besides are left out; otherwise such a file is set aside
     *
     * @throws InvalidArgumentException
     */
    public function __construct(
        public FileFormat $format,
        public ?Dialect $dialect = null,
        public array $dates = [],
        public ChangedFile $changed = ChangedFile::SetAside,
        public bool $checksum = false,
        public int $quiet = 5,
        public bool $fit = false,
        public FileColumns $own = new FileColumns,
    ) {
        if (($format === FileFormat::Delimited) !== ($dialect !== null)) {
            throw new InvalidArgumentException('Delimited text needs its delimiter and the rest of how it is written, and other formats have none.');
        }
        foreach ($dates as $column => $date) {
            if (! isset(ValueForm::DATES[$date])) {
                throw new InvalidArgumentException("\"{$date}\" is no way that dates of {$column} can be read; there are ".implode(', ', array_keys(ValueForm::DATES)).', and yyyy-MM-dd, which need not be said.');
            }
        }
        if ($quiet < 0 || $quiet > 86_400) {
            throw new InvalidArgumentException("{$quiet} s without writing are not between none and a day.");
        }
    }

    /**
     * Brings values that a person has mended into the form in which they land; they may be written as in the files, or as the
     * application writes them.
     *
     * @param  list<string|false|null>  $row  in the order of the columns
     * @return list<string> what is wrong with it
     */
    public function mended(Shape $columns, array &$row): array
    {
        $faults = [];
        foreach ($columns->columns as $i => $column) {
            if (is_string($row[$i])) {
                $form = new ValueForm($column->type, $this->dialect->decimal ?? '.', $this->dates[$column->name] ?? null);
                $value = $form->value($row[$i]);
                $value = $value === false ? (new ValueForm($column->type))->value($row[$i]) : $value;
                $faults = $value === false ? [...$faults, $form->fault($column->name)] : $faults;
                $row[$i] = $value === false ? $row[$i] : $value;
            }
        }

        return $faults;
    }

    /** @return array<string, mixed> */
    public function toArray(): array
    {
        return ['format' => $this->format->value] + ($this->dialect?->toArray() ?? []) + ($this->dates === [] ? [] : ['dates' => $this->dates]) + [
            'changed' => $this->changed->value, 'checksum' => $this->checksum, 'quiet_seconds' => $this->quiet, 'fit' => $this->fit, 'file_column' => $this->own->file, 'line_column' => $this->own->line,
        ];
    }

    /**
     * @param  array<string, mixed>  $data  as toArray() gives it
     *
     * @throws InvalidArgumentException
     */
    public static function fromArray(array $data): self
    {
        $format = FileFormat::from($data['format']);
        $usual = new FileColumns;

        return new self(
            $format,
            $format === FileFormat::Delimited ? Dialect::fromArray($data) : null,
            $data['dates'] ?? [],
            ChangedFile::from($data['changed'] ?? ChangedFile::SetAside->value),
            $data['checksum'] ?? false,
            $data['quiet_seconds'] ?? 5,
            $data['fit'] ?? false,
            new FileColumns(array_key_exists('file_column', $data) ? $data['file_column'] : $usual->file, array_key_exists('line_column', $data) ? $data['line_column'] : $usual->line),
        );
    }
}
