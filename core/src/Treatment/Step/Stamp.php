<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment\Step;

use Lighterman\Core\Shape\Type;
use Lighterman\Core\Shape\TypeKind;
use Lighterman\Core\Treatment\Value\InvalidStep;

/** What is known of the delivery, and not of the record. */
final readonly class Stamp implements Step
{
    public const WHAT = ['source_name' => TypeKind::Text, 'run' => TypeKind::Int64, 'load_year' => TypeKind::Int16, 'load_month' => TypeKind::Int16, 'load_day' => TypeKind::Date];

    public function __construct(public string $what)
    {
        if (! isset(self::WHAT[$what])) {
            throw InvalidStep::because("There is no stamp \"{$what}\"; there are ".implode(', ', array_keys(self::WHAT)).', and delivered_at and source_position, which the landing adds.');
        }
    }

    public static function name(): string
    {
        return 'stamp';
    }

    public static function word(): string
    {
        return 'Stamp';
    }

    public static function reads(array $data): bool
    {
        return isset($data['stamp']);
    }

    public function makes(): bool
    {
        return true;
    }

    public static function fromArray(array $data): self
    {
        return new self((string) $data['stamp']);
    }

    public static function typed(array $typed): array
    {
        return ['stamp' => (new Typed($typed))->text('stamp')];
    }

    public static function begins(): ?array
    {
        return null;
    }

    public static function schema(): array
    {
        return ['stamp' => ['enum' => array_keys(self::WHAT)]];
    }

    public function emit(RowCode $to, string $variable, ?Type $type): Type
    {
        $to->statement("{$variable} = \$stamps['{$this->what}'];");

        return Type::of(self::WHAT[$this->what]);
    }

    public function masks(): bool
    {
        return false;
    }

    public function keepsApart(): bool
    {
        return false;
    }

    public function sentence(): string
    {
        return 'stamp: '.str_replace('_', ' ', $this->what);
    }

    public function toArray(): array
    {
        return ['stamp' => $this->what];
    }
}
