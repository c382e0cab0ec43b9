<?php

declare(strict_types=1);

namespace Lighterman\Core\Landing;

/**
 * Changes of one feed gathered into what has to be written for them. Not bound to any kind of target.
 */
interface ChangePlan
{
    public function add(Change $change, SourceCommit $commit): void;

    /** Changes taken since the last clear(). Where rows are kept by key, a change of the key itself counts as two: a delete and a write. */
    public function changes(): int;

    /** Lines that will be written for them; the rest were superseded by later changes to the same key. */
    public function lines(): int;

    /** @return iterable<list<string>> keys of the rows that are there after it; none where rows are not kept by key */
    public function keys(): iterable;

    public function clear(): void;
}
