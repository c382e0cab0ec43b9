<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment;

use Lighterman\Core\Trouble\Act;
use Lighterman\Core\Trouble\Explained;
use Lighterman\Core\Trouble\Remedy;
use RuntimeException;

/** A record for which the feed is to stop, or one failure more than its limit allows. */
final class TreatmentStopped extends RuntimeException implements Explained
{
    private function __construct(string $message, private readonly Remedy $remedy)
    {
        parent::__construct($message);
    }

    public static function at(Failure $failure): self
    {
        return new self("A record stops the feed, as you chose. {$failure->message}", new Remedy('Mend it at the source, or choose another outcome for this on the feed\'s columns and checks. Nothing of its batch was landed.', Act::ChangeColumns));
    }

    public static function limit(string $what, FailureLimit $limit): self
    {
        return new self("Too many records fail ({$what}): {$limit->words()}.", new Remedy('Look at what was set aside, mend the rule or the source, then resume. Nothing of the batch was landed.', Act::ChangeColumns));
    }

    /** The same of a change, which stays among the changes to be landed as it was made. */
    public function ofChange(): self
    {
        return new self($this->getMessage(), new Remedy('Choose another outcome for this on the feed\'s columns and checks, then resume the feed. To mend the row at the source does not help: the change was made, and waits to be landed as it was.', Act::ChangeColumns));
    }

    public function remedy(): Remedy
    {
        return $this->remedy;
    }

    public function mayPass(): bool
    {
        return false;
    }
}
