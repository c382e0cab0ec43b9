<?php

declare(strict_types=1);

namespace Lighterman\Core\Capture;

/** What is thought of one choice, with the reasons in sentences. */
final readonly class Verdict
{
    /**
     * @param  'fine'|'warned'|'refused'  $result
     * @param  list<string>  $reasons
     */
    public function __construct(public string $result, public array $reasons)
    {
    }

    /** @return array{result: string, reasons: list<string>} */
    public function toArray(): array
    {
        return ['result' => $this->result, 'reasons' => $this->reasons];
    }
}
