<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment;

/** What is wrong with a treatment, collected so that all of it can be told at once. */
final class TreatmentErrors
{
    /** @var array<int, InvalidTreatment> by line of the sheet */
    public array $lines = [];

    /** @var array<int, InvalidTreatment> by check */
    public array $checks = [];

    /** @var array<int, InvalidTreatment> by fork */
    public array $forks = [];

    /** @var array<int, InvalidTreatment> by rule of what is counted */
    public array $watched = [];
}
