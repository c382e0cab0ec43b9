<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment;

/** Counts failures against the limits beyond which a treatment stops. */
final class FailureCount
{
    /** @var array<array-key, FailureWindow> by check */
    private array $windows = [];

    public function __construct(private readonly Treatment $treatment)
    {
    }

    /**
     * @param  int  $number  of the record
     *
     * @throws TreatmentStopped
     */
    public function count(Failure $failure, int $number): void
    {
        $limit = $failure->check === null ? $this->treatment->limit : $this->treatment->checks[$failure->check]->limit;
        if ($limit === null) {
            return;
        }
        $window = $this->windows[$failure->check ?? 'treating'] ??= new FailureWindow($limit);
        if ($window->failed($number)) {
            throw TreatmentStopped::limit($failure->step, $limit);
        }
    }
}
