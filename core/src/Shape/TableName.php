<?php

declare(strict_types=1);

namespace Lighterman\Core\Shape;

/** A table of a system, by schema and name, exactly as the system spells them. */
final readonly class TableName
{
    public function __construct(public string $schema, public string $name)
    {
    }

    /**
     * Reads `schema.table`; a name without a schema is taken to be in `public`. A schema with a dot in its name stands in
     * double quotes, a quote in it doubled: `"my.schema".table`.
     */
    public static function parse(string $said): self
    {
        if (preg_match('/^"((?:[^"]|"")+)"\.(.+)$/s', $said, $m)) {
            return new self(str_replace('""', '"', $m[1]), $m[2]);
        }
        $at = strpos($said, '.');

        return $at === false ? new self('public', $said) : new self(substr($said, 0, $at), substr($said, $at + 1));
    }

    public function __toString(): string
    {
        $schema = strpbrk($this->schema, '."') === false ? $this->schema : '"'.str_replace('"', '""', $this->schema).'"';

        return "{$schema}.{$this->name}";
    }
}
