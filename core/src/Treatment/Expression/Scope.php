<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment\Expression;

/** What names in an expression stand for. */
interface Scope
{
    /** @return Piece|null null for a name that nothing has */
    public function named(string $name): ?Piece;

    /** The value of a source column before any treatment. */
    public function asRead(string $name): ?Piece;

    /** @return list<string> all names, to suggest one from */
    public function names(): array;

    /** Makes an object available to what is compiled. @return string PHP that names it */
    public function tool(object $tool): string;
}
