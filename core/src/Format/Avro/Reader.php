<?php

declare(strict_types=1);

namespace Lighterman\Core\Format\Avro;

use Brick\Math\BigDecimal;
use Brick\Math\BigInteger;
use Generator;
use JsonException;
use Lighterman\Core\Shape\Shape;

/**
 * Reads the rows of an Avro object container file, block by block; values come as text, what is nested as JSON.
 *
 * @see https://avro.apache.org/docs/1.11.1/specification/#object-container-files
 */
final class Reader
{
    /** A block that claims more is not believed. */
    private const BLOCK = 64 << 20;

    /** Elements of one list or map, and rows of a block that take no room. */
    private const MANY = 1_000_000;

    private const DEPTH = 64;

    private string $buffer = '';

    private int $at = 0;

    /** @var array<string, mixed> */
    private array $schema = [];

    /** @var array<string, mixed> schemas that have a name, by it */
    private array $named = [];

    private string $codec = 'null';

    private string $sync = '';

    /** @param  Generator<int, string>|\Iterator<int, string>  $pieces  of the file, in order, of any length */
    public function __construct(private readonly \Iterator $pieces)
    {
        $this->header();
    }

    public function shape(): Shape
    {
        return Schema::shape($this->schema);
    }

    /**
     * @return Generator<int, list<string|null>>
     *
     * @throws MalformedAvro
     */
    public function rows(): Generator
    {
        $types = array_column($this->schema['fields'], 'type');
        while ($this->more()) {
            $rows = $this->fileLong();
            $length = $this->fileLong();
            if ($rows < 0 || $length < 0 || $length > self::BLOCK) {
                throw MalformedAvro::because("a block claims {$rows} rows in {$length} bytes");
            }
            $data = $this->take($length);
            if ($this->take(16) !== $this->sync) {
                throw MalformedAvro::because('the mark between two blocks is not there');
            }
            $data = $this->codec === 'deflate' ? @gzinflate($data, self::BLOCK) : $data;
            if ($data === false) {
                throw MalformedAvro::because('a block cannot be inflated');
            }
            if ($rows > max(strlen($data), self::MANY)) {
                throw MalformedAvro::because("a block claims {$rows} rows in {$length} bytes");
            }
            $at = 0;
            for ($n = 0; $n < $rows; $n++) {
                $row = [];
                foreach ($types as $type) {
                    $row[] = self::text($this->value($type, $data, $at, 0));
                }
                yield $row;
            }
            if ($at !== strlen($data)) {
                throw MalformedAvro::because('a block holds more than its rows');
            }
        }
    }

    private function header(): void
    {
        if ($this->take(4) !== "Obj\x01") {
            throw MalformedAvro::because('it does not begin with the mark of the format');
        }
        $meta = [];
        while (($count = $this->fileLong()) !== 0) {
            if ($count < 0) {
                $this->fileLong();
                $count = -$count;
            }
            for ($i = 0; $i < $count; $i++) {
                $key = $this->take($this->length());
                $meta[$key] = $this->take($this->length());
            }
        }
        $this->sync = $this->take(16);
        $this->codec = $meta['avro.codec'] ?? 'null';
        if (! in_array($this->codec, Writer::CODECS, true)) {
            throw MalformedAvro::because("its codec is {$this->codec}; null and deflate can be read");
        }
        try {
            $schema = json_decode($meta['avro.schema'] ?? '', true, 128, JSON_THROW_ON_ERROR);
        } catch (JsonException) {
            throw MalformedAvro::because('its schema is not JSON');
        }
        if (! is_array($schema) || ($schema['type'] ?? null) !== 'record') {
            throw MalformedAvro::because('its schema is not a record, so it has no columns');
        }
        $fields = $schema['fields'] ?? null;
        if (! is_array($fields) || $fields === [] || array_filter($fields, static fn (mixed $f): bool => ! is_array($f) || ! is_string($f['name'] ?? null) || ! isset($f['type'])) !== []) {
            throw MalformedAvro::because('its record has no fields, or one without a name or a type');
        }
        $this->schema = $schema;
        $this->name($schema);
    }

    private function length(): int
    {
        $length = $this->fileLong();

        return $length >= 0 && $length <= self::BLOCK ? $length : throw MalformedAvro::because("a length of {$length} bytes");
    }

    private function name(mixed $schema): void
    {
        foreach (is_array($schema) ? $schema : [] as $part) {
            $this->name($part);
        }
        if (is_array($schema) && isset($schema['name'], $schema['type']) && in_array($schema['type'], ['record', 'enum', 'fixed'], true)) {
            $this->named[$schema['name']] = $schema;
            $this->named[($schema['namespace'] ?? '').'.'.$schema['name']] = $schema;
        }
    }

    /** A value as PHP would have it in JSON, or as text where it is plain. */
    private function value(mixed $schema, string $data, int &$at, int $depth): mixed
    {
        if ($depth > self::DEPTH) {
            throw MalformedAvro::because('values are nested deeper than '.self::DEPTH.' levels');
        }
        if (is_array($schema) && array_is_list($schema)) {
            $branch = self::readLong($data, $at);

            return $this->value($schema[$branch] ?? throw MalformedAvro::because("a union has no branch {$branch}"), $data, $at, $depth + 1);
        }
        $of = is_array($schema) ? $schema : ($this->named[$schema] ?? ['type' => $schema]);
        if (is_array($of['type'])) {
            return $this->value($of['type'], $data, $at, $depth + 1);
        }

        return match ($of['type']) {
            'null' => null,
            'boolean' => self::bytes($data, $at, 1) === "\x00" ? 'f' : 't',
            'int', 'long' => self::whole(self::readLong($data, $at), $of['logicalType'] ?? ''),
            'float' => self::real((float) (unpack('g', self::bytes($data, $at, 4)) ?: [1 => 0])[1], true),
            'double' => self::real((float) (unpack('e', self::bytes($data, $at, 8)) ?: [1 => 0])[1], false),
            'string' => self::bytes($data, $at, self::readLong($data, $at)),
            'bytes' => self::binary(self::bytes($data, $at, self::readLong($data, $at)), $of),
            'fixed' => self::binary(self::bytes($data, $at, $of['size']), $of),
            'enum' => $of['symbols'][self::readLong($data, $at)] ?? throw MalformedAvro::because("{$of['name']} has no such symbol"),
            'record' => $this->record($of['fields'], $data, $at, $depth + 1),
            'array' => $this->items($of['items'], false, $data, $at, $depth + 1),
            'map' => (object) $this->items($of['values'], true, $data, $at, $depth + 1),
            default => throw MalformedAvro::because("the type {$of['type']} is not known"),
        };
    }

    /**
     * @param  list<array<string, mixed>>  $fields
     * @return array<string, mixed>
     */
    private function record(array $fields, string $data, int &$at, int $depth): array
    {
        $values = [];
        foreach ($fields as $field) {
            $values[$field['name']] = $this->value($field['type'], $data, $at, $depth);
        }

        return $values;
    }

    /** @return array<array-key, mixed> */
    private function items(mixed $of, bool $named, string $data, int &$at, int $depth): array
    {
        $items = [];
        while (($count = self::readLong($data, $at)) !== 0) {
            if ($count < 0) {
                self::readLong($data, $at);
                $count = -$count;
            }
            // Elements may take no room at all, and a length may be claimed for nothing.
            if ($count > self::MANY - count($items)) {
                throw MalformedAvro::because('a list or map has more than '.number_format(self::MANY).' elements');
            }
            for ($i = 0; $i < $count; $i++) {
                $name = $named ? self::bytes($data, $at, self::readLong($data, $at)) : count($items);
                $items[$name] = $this->value($of, $data, $at, $depth);
            }
        }

        return $items;
    }

    private static function whole(int $n, string $logical): string
    {
        return match ($logical) {
            'date' => Calendar::date($n),
            'time-micros' => Calendar::time($n),
            'time-millis' => Calendar::time($n * 1000),
            'timestamp-micros' => Calendar::momentText($n, '+00'),
            'timestamp-millis' => Calendar::momentText($n * 1000, '+00'),
            'local-timestamp-micros' => Calendar::momentText($n, ''),
            'local-timestamp-millis' => Calendar::momentText($n * 1000, ''),
            default => (string) $n,
        };
    }

    private static function real(float $n, bool $single): string
    {
        // A number of single precision is written with the digits that tell it from its neighbours.
        return is_nan($n) ? 'NaN' : (is_infinite($n) ? ($n > 0 ? 'Infinity' : '-Infinity') : ($single ? self::shortest($n) : json_encode($n, JSON_THROW_ON_ERROR)));
    }

    private static function shortest(float $n): string
    {
        for ($digits = 6; $digits < 9; $digits++) {
            $text = sprintf("%.{$digits}G", $n);
            if ((unpack('g', pack('g', (float) $text)) ?: [1 => 0.0])[1] === $n) {
                return json_encode((float) $text, JSON_THROW_ON_ERROR);
            }
        }

        return json_encode((float) sprintf('%.9G', $n), JSON_THROW_ON_ERROR);
    }

    /** @param  array<string, mixed>  $of */
    private static function binary(string $bytes, array $of): string
    {
        return ($of['logicalType'] ?? null) === 'decimal'
            ? (string) BigDecimal::ofUnscaledValue($bytes === '' ? 0 : BigInteger::fromBytes($bytes), (int) ($of['scale'] ?? 0))
            : '\\x'.bin2hex($bytes);
    }

    private static function text(mixed $value): ?string
    {
        return $value === null || is_string($value) ? $value : json_encode($value, JSON_THROW_ON_ERROR | JSON_UNESCAPED_UNICODE | JSON_UNESCAPED_SLASHES | JSON_INVALID_UTF8_SUBSTITUTE);
    }

    private static function bytes(string $data, int &$at, int $length): string
    {
        if ($length < 0 || $at + $length > strlen($data)) {
            throw MalformedAvro::because('a value goes beyond its block');
        }
        $bytes = substr($data, $at, $length);
        $at += $length;

        return $bytes;
    }

    private static function readLong(string $data, int &$at): int
    {
        $n = $shift = 0;
        do {
            if ($shift > 63 || ! isset($data[$at])) {
                throw MalformedAvro::because('a number does not end');
            }
            $byte = ord($data[$at++]);
            $n |= ($byte & 0x7F) << $shift;
            $shift += 7;
        } while ($byte & 0x80);

        return (($n >> 1) & PHP_INT_MAX) ^ -($n & 1);
    }

    private function fileLong(): int
    {
        $bytes = '';
        do {
            $byte = $this->take(1);
            $bytes .= $byte;
        } while ((ord($byte) & 0x80) !== 0 && strlen($bytes) < 11);
        $at = 0;

        return self::readLong($bytes, $at);
    }

    /** Whether the file goes on. */
    private function more(): bool
    {
        while ($this->at === strlen($this->buffer)) {
            if (! $this->pieces->valid()) {
                return false;
            }
            $this->buffer = $this->pieces->current();
            $this->at = 0;
            $this->pieces->next();
        }

        return true;
    }

    private function take(int $length): string
    {
        $bytes = '';
        while (strlen($bytes) < $length) {
            if (! $this->more()) {
                throw MalformedAvro::because('it ends in the middle');
            }
            $part = substr($this->buffer, $this->at, $length - strlen($bytes));
            $this->at += strlen($part);
            $bytes .= $part;
        }

        return $bytes;
    }
}
