<?php

declare(strict_types=1);

namespace Lighterman\Core\Guarantee;

/** One sentence of a guarantee: what is claimed about one subject, how strongly, and why. */
final readonly class Claim
{
    /**
     * @param  'delivery'|'changes'|'deletes'|'keys'|'late commits'|'order'|'meddling'|'outside readers'|'completeness'  $subject
     * @param  'kept'|'at risk'|'not given'  $strength
     */
    public function __construct(public string $subject, public string $strength, public string $headline, public string $reason)
    {
    }

    /** @return array{subject: string, strength: string, headline: string, reason: string} */
    public function toArray(): array
    {
        return ['subject' => $this->subject, 'strength' => $this->strength, 'headline' => $this->headline, 'reason' => $this->reason];
    }
}
