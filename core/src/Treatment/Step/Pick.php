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
