<?php

declare(strict_types=1);

namespace Lighterman\Core\Port;

use Lighterman\Core\Shape\TableName;

/** One result of testing a system. */
final readonly class Finding
{
    /** @param  'passed'|'warned'|'failed'  $result */
    public function __construct(public string $subject, public string $result, public string $said, public ?string $remedy = null)
    {
    }

    public static function passed(string $subject, string $said): self
    {
        return new self($subject, 'passed', $said);
    }

    public static function warned(string $subject, string $said, string $remedy): self
    {
        return new self($subject, 'warned', $said, $remedy);
    }

    public static function failed(string $subject, string $said, string $remedy): self
    {
        return new self($subject, 'failed', $said, $remedy);
    }

    public static function noTable(TableName $table): self
    {
        return self::failed((string) $table, "There is no table {$table}, or it may not be seen.", 'Check its name. If it was dropped or renamed, make it again or rename it back, and Lighterman goes on by itself within minutes; or remove the feed.');
    }

    /** @return array{subject: string, result: string, said: string, remedy: string|null} */
    public function toArray(): array
    {
        return ['subject' => $this->subject, 'result' => $this->result, 'said' => $this->said, 'remedy' => $this->remedy];
    }
}
