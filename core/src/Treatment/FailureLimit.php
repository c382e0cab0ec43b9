<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment;

/** The most failures there may be among the last records before the feed stops. */
final readonly class FailureLimit
{
    public function __construct(public float $percent, public int $of)
    {
        if ($percent <= 0 || $percent >= 100 || $of < 10 || $of > 1_000_000) {
            throw InvalidTreatment::of("A limit is more than 0 and less than 100 % of the last 10 to 1,000,000 records, not {$percent} % of {$of}.");
        }
    }

    /** Failures among the last records that are still within the limit. */
    public function allowed(): int
    {
        return (int) floor($this->of * $this->percent / 100);
    }

    public function words(): string
    {
        return 'stop if over '.rtrim(rtrim(number_format($this->percent, 2, '.', ''), '0'), '.').' % of the last '.number_format($this->of);
    }

    /** @return array{percent: float, of: int} */
    public function toArray(): array
    {
        return ['percent' => $this->percent, 'of' => $this->of];
    }

    public static function fromArray(mixed $data): ?self
    {
        return is_array($data) && isset($data['percent']) && $data['percent'] !== '' ? new self((float) $data['percent'], (int) ($data['of'] ?? 10_000)) : null;
    }
}
