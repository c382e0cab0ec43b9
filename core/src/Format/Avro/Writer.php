<?php

declare(strict_types=1);

namespace Lighterman\Core\Format\Avro;

use Brick\Math\BigDecimal;
use Brick\Math\Exception\MathException;
use Lighterman\Core\Format\RowWriter;
use Lighterman\Core\Format\UnfitValue;
use Lighterman\Core\Record\ListText;
use Lighterman\Core\Shape\Shape;

/**
 * Writes rows as an Avro object container file, piece by piece.
 *
 * @see https://avro.apache.org/docs/1.11.1/specification/#object-container-files
 */
final class Writer implements RowWriter
{
    public const CODECS = ['null', 'deflate'];

    /** Bytes after which a block is closed. */
    private const BLOCK = 64_000;

    /** @var array<int, callable(string): string> by column */
    private readonly array $encode;

    /** @var array<int, bool> */
    private readonly array $nullable;

    private string $block = '';

    private int $rows = 0;

    private readonly string $schema;

    /**
     * @param  'null'|'deflate'  $codec
     * @param  string  $sync  16 bytes that part the blocks, by chance
     */
    public function __construct(Shape $shape, string $name, private readonly string $sync, private readonly string $codec = 'deflate')
    {
        $schema = Schema::of($shape, $name);
        $this->schema = json_encode($schema, JSON_THROW_ON_ERROR | JSON_UNESCAPED_SLASHES | JSON_UNESCAPED_UNICODE);
        $this->nullable = array_map(static fn (array $f): bool => is_array($f['type']) && array_is_list($f['type']), $schema['fields']);
        $this->encode = array_map(static fn (array $f): callable => self::encoder(is_array($f['type']) && array_is_list($f['type']) ? $f['type'][1] : $f['type']), $schema['fields']);
    }

    public function begin(): string
    {
        $entry = static fn (string $key, string $value): string => self::bytes($key).self::bytes($value);

        return "Obj\x01".self::long(2).$entry('avro.schema', $this->schema).$entry('avro.codec', $this->codec).self::long(0).$this->sync;
    }

    public function row(array $row): string
    {
        $record = '';
        foreach ($row as $i => $value) {
            if ($value === null) {
                $record .= $this->nullable[$i] ? "\x00" : throw UnfitValue::of('null', 'a value of a column that must have one');
            } else {
                $record .= ($this->nullable[$i] ? "\x02" : '').($this->encode[$i])($value);
            }
        }
        $this->block .= $record;
        $this->rows++;

        return strlen($this->block) >= self::BLOCK ? $this->flush() : '';
    }

    public function end(): string
    {
        return $this->rows === 0 ? '' : $this->flush();
    }

    private function flush(): string
    {
        $data = $this->codec === 'deflate' ? (string) gzdeflate($this->block) : $this->block;
        $block = self::long($this->rows).self::long(strlen($data)).$data.$this->sync;
        $this->block = '';
        $this->rows = 0;

        return $block;
    }

    /**
     * @param  string|array<string, mixed>  $type
     * @return callable(string): string
     */
    private static function encoder(string|array $type): callable
    {
        $of = is_string($type) ? ['type' => $type] : $type;

        return match ($of['logicalType'] ?? null) {
            'decimal' => static fn (string $v): string => self::decimal($v, $of['precision'], $of['scale']),
            'date' => static fn (string $v): string => self::long(Calendar::days($v)),
            'time-micros' => static fn (string $v): string => self::long(Calendar::micros($v)),
            'timestamp-micros', 'local-timestamp-micros' => static fn (string $v): string => self::long(Calendar::moment($v)),
            'uuid' => self::bytes(...),
            default => match ($of['type']) {
                'boolean' => static fn (string $v): string => in_array($v, ['t', 'true', '1'], true) ? "\x01" : "\x00",
                'int', 'long' => static fn (string $v): string => self::long((int) $v),
                'float' => static fn (string $v): string => pack('g', self::real($v)),
                'double' => static fn (string $v): string => pack('e', self::real($v)),
                'array' => self::array(self::encoder($of['items'][1])),
                'bytes' => static fn (string $v): string => self::bytes(str_starts_with($v, '\\x') ? (string) hex2bin(substr($v, 2)) : $v),
                default => self::bytes(...),
            },
        };
    }

    /**
     * @param  callable(string): string  $encode  of an element, which may be null
     * @return callable(string): string
     */
    private static function array(callable $encode): callable
    {
        return static function (string $v) use ($encode): string {
            $elements = ListText::elements($v) ?? throw UnfitValue::of($v, 'a list');

            return ($elements === [] ? '' : self::long(count($elements)).implode('', array_map(static fn (?string $e): string => $e === null ? "\x00" : "\x02".$encode($e), $elements))).self::long(0);
        };
    }

    private static function real(string $value): float
    {
        return match (strtolower($value)) {
            'nan' => NAN, 'infinity', 'inf' => INF, '-infinity', '-inf' => -INF, default => (float) $value,
        };
    }

    private static function decimal(string $value, int $precision, int $scale): string
    {
        try {
            $unscaled = BigDecimal::of($value)->toScale($scale)->getUnscaledValue();
        } catch (MathException) {
            throw UnfitValue::of($value, "a decimal with {$scale} digits after the point");
        }
        if (strlen(ltrim((string) $unscaled, '-')) > $precision) {
            throw UnfitValue::of($value, "a decimal of {$precision} digits");
        }

        return self::bytes($unscaled->toBytes());
    }

    private static function bytes(string $bytes): string
    {
        return self::long(strlen($bytes)).$bytes;
    }

    /** Zig-zag, then seven bits a byte. */
    public static function long(int $n): string
    {
        $n = ($n << 1) ^ ($n >> 63);
        $out = '';
        while (($n & ~0x7F) !== 0) {
            $out .= chr(($n & 0x7F) | 0x80);
            $n = ($n >> 7) & 0x01FFFFFFFFFFFFFF;
        }

        return $out.chr($n);
    }
}
