<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Warehouse;

/** One session with a SQL warehouse, and all that is particular to its kind. */
final readonly class Warehouse
{
    /**
     * @param  string  $system  what people call it
     * @param  string  $user  who writes there
     */
    public function __construct(
        public string $system,
        public string $user,
        public Session $session,
        public Dialect $sql,
        public Definitions $definitions,
        public Tables $tables,
        public Ledger $ledger,
    ) {
    }

    /**
     * @param  list<string>  $names
     * @param  string  $of  what the table is called in the statement, with a dot
     */
    public function names(array $names, string $of = ''): string
    {
        return implode(', ', array_map(fn (string $n): string => $of.$this->sql->name($n), $names));
    }
}
