<?php

declare(strict_types=1);

namespace Lighterman\Core\Landing;

use InvalidArgumentException;
use Lighterman\Core\Format\Avro\Writer as AvroWriter;
use Lighterman\Core\Format\Delimited\Dialect;
use Lighterman\Core\Format\Delimited\Writer as DelimitedWriter;
use Lighterman\Core\Format\FileFormat;
use Lighterman\Core\Format\JsonLines\Writer as JsonLinesWriter;
use Lighterman\Core\Format\RowWriter;
use Lighterman\Core\Shape\Shape;

/** How the files of a landed table are written, and how large they become. */
final readonly class FileWriting
{
    /** What files of a format can be packed with; the first where nothing is said. */
    public const PACKED = [
        'parquet' => ['zstd', 'snappy', 'none'], 'avro' => ['deflate', 'none'], 'jsonl' => ['none', 'gzip'], 'delimited' => ['none', 'gzip'],
    ];

    public string $packed;

    public ?Dialect $dialect;

    /**
     * @param  string|null  $packed  one of PACKED for the format
     * @param  Dialect|null  $dialect  for delimited text
     * @param  int  $groupRows  rows of a row group, for Parquet
     * @param  int  $rows  after which a file, and a delivery, ends
     * @param  int  $megabytes  of rows as text after which a file ends
     * @param  int  $seconds  after which a delivery ends
     * @param  string|null  $fixedName  name without ending under which the rows of a partition stand in a single file as well; null for none
     *
     * @throws InvalidArgumentException
     */
    public function __construct(
        public FileFormat $format = FileFormat::Parquet,
        ?string $packed = null,
        ?Dialect $dialect = null,
        public int $groupRows = 61_440,
        public int $rows = 1_000_000,
        public int $megabytes = 512,
        public int $seconds = 60,
        public ?string $fixedName = null,
    ) {
        $this->packed = $packed ?? self::PACKED[$format->value][0];
        if (! in_array($this->packed, self::PACKED[$format->value], true)) {
            throw new InvalidArgumentException("{$format->word()} cannot be packed with \"{$this->packed}\"; there is ".implode(', ', self::PACKED[$format->value]));
        }
        $this->dialect = $format === FileFormat::Delimited ? $dialect ?? new Dialect : null;
        if ($dialect !== null && $format !== FileFormat::Delimited) {
            throw new InvalidArgumentException("{$format->word()} has no delimiter, quote or decimal mark");
        }
        if ($this->dialect !== null && $this->dialect->encoding !== 'UTF-8') {
            throw new InvalidArgumentException('delimited text is written in UTF-8');
        }
        if ($this->dialect !== null && $this->dialect->quote === null) {
            throw new InvalidArgumentException('without a quote a text that holds the delimiter could not be told apart');
        }
        foreach (['row group' => [$groupRows, 2_048, 10_000_000, 'rows'], 'file' => [$rows, 1_000, 100_000_000, 'rows'], 'file, as text,' => [$megabytes, 1, 4_096, 'MB'], 'delivery' => [$seconds, 1, 3_600, 's']] as $what => [$is, $least, $most, $unit]) {
            if ($is < $least || $is > $most) {
                throw new InvalidArgumentException("a {$what} of {$is} {$unit} is not between ".number_format($least).' and '.number_format($most));
            }
        }
        if ($fixedName !== null && ! preg_match('/^[\pL\pN][\pL\pN_-]{0,99}$/u', $fixedName)) {
            throw new InvalidArgumentException("\"{$fixedName}\" cannot name a file: use letters, digits, - and _, without an ending");
        }
    }

    /** The end of a file's name. */
    public function ending(): string
    {
        return match ($this->format) {
            FileFormat::Parquet => 'parquet', FileFormat::Avro => 'avro', FileFormat::JsonLines => 'jsonl', FileFormat::Delimited => 'csv',
        }.($this->packed === 'gzip' ? '.gz' : '');
    }

    /**
     * Writes the rows of one file; not for Parquet, which is not written row by row.
     *
     * @param  string  $chance  16 bytes that nobody can foresee, by which Avro parts its blocks
     */
    public function writer(Shape $shape, string $table, string $chance): RowWriter
    {
        return match ($this->format) {
            FileFormat::Delimited => new DelimitedWriter($this->dialect ?? new Dialect, $shape),
            FileFormat::JsonLines => new JsonLinesWriter($shape),
            FileFormat::Avro => new AvroWriter($shape, $table, $chance, $this->packed === 'none' ? 'null' : 'deflate'),
            FileFormat::Parquet => throw new \LogicException('Parquet is written by the engine.'),
        };
    }

    /** In a few words. */
    public function word(): string
    {
        return $this->format->word().($this->packed === 'none' ? '' : ", {$this->packed}").($this->dialect === null ? '' : ", parted by {$this->dialect->delimiterWord()}");
    }

    /** Whether the rows of a partition are one single file. */
    public function isSingle(): bool
    {
        return $this->fixedName !== null;
    }

    /** @return array<string, mixed> only what is not as it would be anyway */
    public function toArray(): array
    {
        $plain = new self;
        $said = ['format' => $this->format->value] + ($this->packed === self::PACKED[$this->format->value][0] ? [] : ['packed' => $this->packed]);
        if ($this->dialect !== null) {
            $said += array_diff_assoc(array_intersect_key($this->dialect->toArray(), ['delimiter' => 1, 'quote' => 1, 'header' => 1, 'null' => 1, 'decimal' => 1]), (new Dialect)->toArray());
        }
        foreach (['group_rows' => [$this->groupRows, $plain->groupRows], 'rows' => [$this->rows, $plain->rows], 'megabytes' => [$this->megabytes, $plain->megabytes], 'seconds' => [$this->seconds, $plain->seconds], 'fixed_name' => [$this->fixedName, null]] as $name => [$is, $was]) {
            $said += $is === $was ? [] : [$name => $is];
        }

        return $said === ['format' => FileFormat::Parquet->value] ? [] : $said;
    }

    /**
     * @param  array<string, mixed>  $data  as toArray() gives it
     *
     * @throws InvalidArgumentException
     */
    public static function fromArray(array $data): self
    {
        $format = FileFormat::from($data['format'] ?? FileFormat::Parquet->value);
        $marks = array_intersect_key($data, ['delimiter' => 1, 'quote' => 1, 'header' => 1, 'null' => 1, 'decimal' => 1]);
        $plain = new self;

        return new self($format, $data['packed'] ?? null, $marks === [] ? null : Dialect::fromArray($marks), $data['group_rows'] ?? $plain->groupRows, $data['rows'] ?? $plain->rows, $data['megabytes'] ?? $plain->megabytes, $data['seconds'] ?? $plain->seconds, $data['fixed_name'] ?? null);
    }
}
