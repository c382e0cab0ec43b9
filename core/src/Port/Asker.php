<?php

declare(strict_types=1);

namespace Lighterman\Core\Port;

use Lighterman\Core\Trouble\SystemTrouble;

/** Answers a person's own query of what has landed. Whatever it is asked, it changes nothing and reads nothing else. */
interface Asker
{
    /**
     * @param  string  $sql  one statement
     * @param  int  $seconds  after which it is stopped
     * @param  (callable(): bool)|null  $stopped  asked again and again: whether somebody wants it stopped
     *
     * @throws SystemTrouble what the statement asks for is refused, or it did not come to its end
     */
    public function query(string $sql, int $rowLimit, int $seconds, ?callable $stopped = null): QueryResult;
}
