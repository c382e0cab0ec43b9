<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment\Step;

use InvalidArgumentException;
use Lighterman\Core\Shape\Type;
use Lighterman\Core\Shape\TypeKind;
use Lighterman\Core\Treatment\Value\Fault;
use Lighterman\Core\Treatment\Value\Instead;
use Lighterman\Core\Treatment\Value\InvalidStep;
use Lighterman\Core\Treatment\Value\Worker;

/** Makes a value of another type out of a value. */
final readonly class Convert implements Step
{
    /**
     * @param  string  $format  of dates and moments in text, by the letters of Unicode's date patterns; empty for ISO 8601
     * @param  string  $decimal  the mark before decimals
     * @param  string  $thousands  the mark between groups of digits, ignored; empty for none
     * @param  list<string>  $true  words for true
     * @param  list<string>  $false  words for false
     * @param  string  $zone  of moments written without one
     * @param  Instead  $failed  what becomes of a value that cannot be converted
     */
    public function __construct(
        public Type $to,
        public string $format = '',
        public string $decimal = '.',
        public string $thousands = '',
        public array $true = [],
        public array $false = [],
        public string $zone = 'UTC',
        public Instead $failed = new Instead,
    ) {
        if (mb_strlen($decimal) !== 1 || mb_strlen($thousands) > 1 || $decimal === $thousands) {
            throw InvalidStep::because('The decimal mark and the mark between thousands are one character each, and not the same.');
        }
    }

    public static function name(): string
    {
        return 'convert';
    }

    public static function word(): string
    {
        return 'Convert';
    }

    public static function reads(array $data): bool
    {
        return isset($data['convert']);
    }

    public function makes(): bool
    {
        return false;
    }

    public static function typed(array $typed): array
    {
        $t = new Typed($typed);

        return ['convert' => $t->text('convert'), 'format' => $t->text('format'), 'decimal' => $t->text('decimal') ?: '.', 'thousands' => $t->exactly('thousands'), 'true' => $t->words('true'), 'false' => $t->words('false'), 'zone' => $t->text('zone') ?: 'UTC', 'else' => $t->text('else') ?: 'fail', 'use' => $t->text('use')];
    }

    public static function begins(): array
    {
        return ['convert' => 'text'];
    }

    public static function schema(): array
    {
        return [
            'convert' => ['type' => 'string', 'description' => 'A type, such as decimal(9,2)'],
            'format' => ['type' => 'string', 'description' => "Of dates in text, in the letters of Unicode's date patterns"],
            'decimal' => ['type' => 'string'],
            'thousands' => ['type' => 'string'],
            'true' => ['type' => 'array', 'items' => ['type' => 'string']],
            'false' => ['type' => 'array', 'items' => ['type' => 'string']],
            'zone' => ['type' => 'string'],
        ] + Instead::schema();
    }

    public function emit(RowCode $to, string $variable, ?Type $type): Type
    {
        $type ??= Type::of(TypeKind::Text);
        // Only a longer text, or a wider number: the values stay as they are.
        if (! $this->isWritten() && ($this->to->holds($type) || ($this->to->kind === TypeKind::Text && $type->kind->isNumeric()))) {
            return $this->to;
        }
        $worker = $this->worker($type);
        $else = $this->failed->value($this->worked(...), "%s cannot be put in place of what cannot be converted, since it is not {$this->to} itself.");
        $to->work($variable, $this->failed->fails() ? $worker : new Convert\OrElse($worker, $else));

        return $this->to;
    }

    /**
     * A text converted.
     *
     * @throws Fault
     */
    public function worked(string $text): ?string
    {
        return $this->worker(Type::of(TypeKind::Text))->of($text);
    }

    private function isWritten(): bool
    {
        return $this->format !== '' || $this->decimal !== '.' || $this->thousands !== '' || $this->true !== [] || $this->false !== [];
    }

    private function worker(Type $from): Worker
    {
        if ($this->format !== '' && ($from->kind === TypeKind::Date || $from->kind->isMoment()) && $this->to->kind->isText()) {
            return new Convert\FromDate(Convert\DatePattern::of($this->format), $this->to);
        }

        return match ($this->to->kind) {
            TypeKind::Int16, TypeKind::Int32, TypeKind::Int64, TypeKind::Decimal => new Convert\ToNumber($this->to, $this->decimal, $this->thousands, $from->kind === TypeKind::Boolean),
            TypeKind::Float32, TypeKind::Float64 => new Convert\ToReal($this->decimal, $this->thousands, $this->to->kind === TypeKind::Float32),
            TypeKind::Boolean => new Convert\ToFlag($this->true, $this->false),
            TypeKind::Date, TypeKind::Timestamp, TypeKind::TimestampTz => new Convert\ToMoment($this->to, $from->kind->isText() && $this->format !== '' ? Convert\DatePattern::of($this->format) : null, $this->zone),
            TypeKind::Time => new Convert\ToTime,
            TypeKind::Uuid => new Convert\ToUuid,
            TypeKind::Json, TypeKind::JsonBinary => new Convert\ToNested($from->kind),
            TypeKind::Bytes => new Convert\ToBytes,
            TypeKind::Text, TypeKind::Varchar, TypeKind::Char => new Convert\ToText($this->to->kind === TypeKind::Text ? null : $this->to->length ?? 1, $from->kind === TypeKind::Boolean ? [$this->true[0] ?? 'true', $this->false[0] ?? 'false'] : null),
            default => throw InvalidStep::because("Nothing can be converted to {$this->to}."),
        };
    }

    public function masks(): bool
    {
        return false;
    }

    public function keepsApart(): bool
    {
        // Numbers may be rounded, and different texts may mean the same date.
        return $this->failed->fails() && ($this->to->kind->isText() || $this->to->kind->isInteger() || $this->to->kind === TypeKind::Uuid);
    }

    public function sentence(): string
    {
        return "to {$this->to}".implode('', [
            $this->format === '' ? '' : " as {$this->format}",
            $this->decimal === '.' ? '' : ', decimal '.([',' => 'comma'][$this->decimal] ?? "mark {$this->decimal}"),
            $this->thousands === '' ? '' : ", thousands {$this->thousands}",
            $this->true === [] && $this->false === [] ? '' : ': '.implode('/', $this->true).', '.implode('/', $this->false),
            $this->failed->sentence(),
        ]);
    }

    public function toArray(): array
    {
        $plain = new self($this->to);
        $all = ['format' => $this->format, 'decimal' => $this->decimal, 'thousands' => $this->thousands, 'true' => $this->true, 'false' => $this->false, 'zone' => $this->zone];

        return ['convert' => (string) $this->to] + array_filter($all, static fn (mixed $v, string $k): bool => $v !== $plain->{$k}, ARRAY_FILTER_USE_BOTH) + $this->failed->toArray();
    }

    /**
     * @param  array<string, mixed>  $data
     *
     * @throws InvalidStep
     */
    public static function fromArray(array $data): self
    {
        try {
            $to = Type::parse((string) $data['convert']);
        } catch (InvalidArgumentException $e) {
            throw InvalidStep::because($e->getMessage().'.');
        }
        $words = static fn (mixed $w): array => array_values(array_filter(array_map(static fn (mixed $s): string => trim((string) $s), (array) $w), static fn (string $s): bool => $s !== ''));

        return new self($to, (string) ($data['format'] ?? ''), (string) ($data['decimal'] ?? '.'), (string) ($data['thousands'] ?? ''), $words($data['true'] ?? []), $words($data['false'] ?? []), (string) ($data['zone'] ?? 'UTC'), Instead::fromArray($data));
    }
}
