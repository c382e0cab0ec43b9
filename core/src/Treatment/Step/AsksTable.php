<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment\Step;

/** A step that asks another table: of what system, table and columns, its definition says. */
interface AsksTable extends Step
{
    /** The key that names the table. */
    public static function tableKey(): string;

    /** @return array<string, string> keys that take the types of columns, by the keys that name those */
    public static function typeKeys(): array;
}
