<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment;

/** Counts failures among the last records. Records that pass cost nothing: only the numbers of failed ones are kept. */
final class FailureWindow
{
    /** @var list<int> numbers of failed records, oldest first, never more than the limit allows and one */
    private array $failed = [];

    public function __construct(private readonly FailureLimit $limit)
    {
    }

    /**
     * @param  int  $number  of the record, growing
     * @return bool whether the limit is now exceeded
     */
    public function failed(int $number): bool
    {
        // A record that fails in several ways has failed once.
        if ($number !== ($this->failed[count($this->failed) - 1] ?? null)) {
            $this->failed[] = $number;
        }
        while ($this->failed[0] <= $number - $this->limit->of) {
            array_shift($this->failed);
        }

        return count($this->failed) > $this->limit->allowed();
    }
}
