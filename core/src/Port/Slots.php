<?php

declare(strict_types=1);

namespace Lighterman\Core\Port;

/** What makes a system keep its log for readers of ours, whether they are known here or not. Every method may throw SystemTrouble. */
interface Slots
{
    /** @return list<array{name: string, active: bool, retained: int, lost: bool}> retained: bytes of log */
    public function all(): array;

    public function drop(string $name): void;
}
