<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Triggers;

/** Marks that were asked for and have yet to take their place among the readings. */
final class AskedMarks
{
    /** @var list<string> to come before the next reading */
    private array $before = [];

    /** @var list<string> asked for since the last look */
    private array $after = [];

    /** @var list<string> to come at the end of the reading under way */
    private array $closing = [];

    public function ask(string $content, bool $after): void
    {
        $after ? $this->after[] = $content : $this->before[] = $content;
    }

    /** Whether some wait for a reading to be made that they come after. */
    public function closes(): bool
    {
        return $this->after !== [];
    }

    /** A reading is made now: those asked for until now come after it. */
    public function close(): void
    {
        [$this->closing, $this->after] = [$this->after, []];
    }

    /** @return list<string> */
    public function opening(): array
    {
        [$marks, $this->before] = [$this->before, []];

        return $marks;
    }

    /** @return list<string> */
    public function closing(): array
    {
        [$marks, $this->closing] = [$this->closing, []];

        return $marks;
    }
}
