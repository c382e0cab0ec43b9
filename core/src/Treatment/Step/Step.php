<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment\Step;

use Lighterman\Core\Shape\Type;
use Lighterman\Core\Treatment\Expression\InvalidExpression;
use Lighterman\Core\Treatment\Value\InvalidStep;

/** One thing done to a column's value on the way. */
interface Step
{
    /**
     * Writes the PHP that does it.
     *
     * @param  string  $variable  holds the value's text form, or null, and is to hold the result
     * @param  Type|null  $type  of the value; null where there is none yet
     * @return Type of the result
     *
     * @throws InvalidStep|InvalidExpression
     */
    public function emit(RowCode $to, string $variable, ?Type $type): Type;

    /** How it is told from other steps: its fields are those of the template of this name. */
    public static function name(): string;

    /** As buttons and headings have it. */
    public static function word(): string;

    /**
     * Whether what a definition says is a step of this kind.
     *
     * @param  array<array-key, mixed>  $data
     */
    public static function reads(array $data): bool;

    /**
     * @param  array<string, mixed>  $data  as toArray() gives it
     *
     * @throws InvalidStep
     */
    public static function fromArray(array $data): self;

    /**
     * What a definition says, of what was typed into its fields.
     *
     * @param  array<string, mixed>  $typed
     * @return array<string, mixed>
     */
    public static function typed(array $typed): array;

    /** @return array<string, mixed>|null what one begins as that is added to a column; null where none is */
    public static function begins(): ?array;

    /** @return array<string, array<string, mixed>> JSON Schema of what a definition says, by key */
    public static function schema(): array;

    /** Whether it makes a value where there was none. */
    public function makes(): bool;

    /** Whether nothing that could be read from the value before is left after it. */
    public function masks(): bool;

    /** Whether different values always stay different, so that a key may be treated so. */
    public function keepsApart(): bool;

    /** In a few words, as the column sheet shows it. */
    public function sentence(): string;

    /** @return array<string, mixed> with the step's own key first */
    public function toArray(): array;
}
