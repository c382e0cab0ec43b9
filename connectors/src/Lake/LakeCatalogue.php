<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Lake;

/** The tables of a lake, as the feeds' pages say. */
final readonly class LakeCatalogue
{
    public function __construct(private Ledger $ledger)
    {
    }

    /** @return array<string, LandedFiles> by name */
    public function tables(): array
    {
        $tables = [];
        foreach ($this->ledger->all() as $page) {
            $tables += $page->tables;
        }
        ksort($tables);

        return $tables;
    }
}
