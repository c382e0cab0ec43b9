<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment\Step\Convert;

use Lighterman\Core\Treatment\Value\Fault;
use Lighterman\Core\Treatment\Value\Worker;

/** Text of at most some characters. What is longer fails rather than being cut unseen. */
final readonly class ToText implements Worker
{
    /** @param  array{string, string}|null  $words  for true and false, where that is what comes */
    public function __construct(private ?int $length, private ?array $words)
    {
    }

    public function of(string $value): string
    {
        $text = $this->words === null ? $value : $this->words[$value === 't' ? 0 : 1];

        return $this->length !== null && strlen($text) > $this->length && mb_strlen($text, 'UTF-8') > $this->length ? throw Fault::because('too_long', "the value has more than {$this->length} characters") : $text;
    }
}
