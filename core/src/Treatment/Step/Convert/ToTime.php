<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment\Step\Convert;

use Lighterman\Core\Treatment\Value\Fault;
use Lighterman\Core\Treatment\Value\Worker;

/** A time of day out of text such as `7:05`, `07:05:30` or `070530`; blank text is null. */
final readonly class ToTime implements Worker
{
    public function of(string $value): ?string
    {
        $value = trim($value);
        if ($value === '') {
            return null;
        }
        if (! preg_match('/^(?<h>\d{1,2}):?(?<m>\d\d)(?::?(?<s>\d\d)(?<f>\.\d{1,6})?)?$/', $value, $p)) {
            throw Fault::because('not_a_time', 'the value is not a time of day');
        }
        [$h, $m, $s, $fraction] = [$p['h'], $p['m'], $p['s'] ?? '0', $p['f'] ?? ''];

        return (int) $h > 23 || (int) $m > 59 || (int) $s > 59 ? throw Fault::because('not_a_time', 'there is no such time of day') : sprintf('%02d:%02d:%02d%s', $h, $m, $s, $fraction);
    }
}
