<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment\Step;

use InvalidArgumentException;
use Lighterman\Core\Shape\Type;
use Lighterman\Core\Treatment\Expression\Compiler;
use Lighterman\Core\Treatment\Value\InvalidStep;

/** A value computed by an expression. */
final readonly class Derive implements Step
{
    /** @param  Type|null  $to  of the column; null takes what the expression gives */
    public function __construct(public string $expression, public ?Type $to = null)
    {
    }

    public static function name(): string
    {
        return 'derive';
    }

    public static function word(): string
    {
        return 'Derive';
    }

    public static function reads(array $data): bool
    {
        return isset($data['derive']);
    }

    public function makes(): bool
    {
        return true;
    }

    public static function typed(array $typed): array
    {
        $t = new Typed($typed);

        return ['derive' => $t->text('derive')] + ($t->text('type') === '' ? [] : ['type' => $t->text('type')]);
    }

    public static function begins(): array
    {
        return ['derive' => 'value'];
    }

    public static function schema(): array
    {
        return ['derive' => ['type' => 'string', 'description' => 'An expression'], 'type' => ['type' => 'string']];
    }

    public function emit(RowCode $to, string $variable, ?Type $type): Type
    {
        $piece = Compiler::compile($this->expression, $to->scopeFor($variable, $type));
        $to->statement("{$variable} = {$piece->text()};");
        $given = Compiler::typeOf($piece);

        return $this->to === null || $this->to->equals($given) ? $given : (new Convert($this->to))->emit($to, $variable, $given);
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
        return "= {$this->expression}";
    }

    public function toArray(): array
    {
        return ['derive' => $this->expression] + ($this->to === null ? [] : ['type' => (string) $this->to]);
    }

    /** @param  array<string, mixed>  $data */
    public static function fromArray(array $data): self
    {
        try {
            return new self((string) $data['derive'], empty($data['type']) ? null : Type::parse((string) $data['type']));
        } catch (InvalidArgumentException $e) {
            throw InvalidStep::because($e->getMessage().'.');
        }
    }
}
