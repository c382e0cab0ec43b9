<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment\Step;

use Lighterman\Core\Shape\Type;
use Lighterman\Core\Shape\TypeKind;
use Lighterman\Core\Treatment\Value\InvalidStep;

/** One value out of a nested one, or what is left of it once some are taken out. */
final readonly class Pick implements Step
{
    /**
     * @param  string  $path  names and places parted by points; empty for the rest
     * @param  list<string>  $except  names that the rest is without
     */
    public function __construct(public string $path, public array $except = [])
    {
    }

    public static function name(): string
    {
        return 'pick';
    }

    public static function word(): string
    {
        return 'Flatten';
    }

    public static function reads(array $data): bool
    {
        return (isset($data['pick']) && $data['pick'] !== '') || isset($data['rest_without']);
    }

    public function makes(): bool
    {
        return false;
    }

    public static function fromArray(array $data): self
    {
        return isset($data['rest_without']) ? new self('', array_values(array_map(static fn (mixed $n): string => (string) $n, (array) $data['rest_without']))) : new self((string) $data['pick']);
    }

    public static function typed(array $typed): array
    {
        $t = new Typed($typed);

        return $t->has('rest_without') ? ['rest_without' => $t->words('rest_without')] : ['pick' => $t->text('pick')];
    }

    public static function begins(): array
    {
        return ['pick' => 'name'];
    }

    public static function schema(): array
    {
        return ['pick' => ['type' => 'string', 'description' => 'A path in a nested value'], 'rest_without' => ['type' => 'array', 'items' => ['type' => 'string']]];
    }

    public function emit(RowCode $to, string $variable, ?Type $type): Type
    {
        if ($type !== null && ! $type->kind->isText() && ! in_array($type->kind, [TypeKind::Json, TypeKind::JsonBinary], true)) {
            throw InvalidStep::because("Only a nested value, or text that holds one, can be flattened, and this is {$type}.");
        }
        if ($this->path === '') {
            $to->statement("{$variable} = Nested::rest({$variable}, ".var_export($this->except, true).');');

            return Type::of(TypeKind::JsonBinary);
        }
        $to->statement("{$variable} = Nested::pick({$variable}, ".var_export($this->path, true).');');

        return Type::of(TypeKind::Text);
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
        return $this->path === '' ? 'the rest, without '.implode(', ', $this->except) : "flatten: {$this->path}";
    }

    public function toArray(): array
    {
        return $this->path === '' ? ['rest_without' => $this->except] : ['pick' => $this->path];
    }
}
