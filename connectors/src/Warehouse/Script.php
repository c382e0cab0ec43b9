<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Warehouse;

use Closure;

/** Statements that are sent together, each with what takes its outcome. */
final class Script
{
    /** @var list<string> */
    private array $statements = [];

    /** @var array<int, Closure(Outcome): void> by number of the statement */
    private array $takers = [];

    /**
     * @param  string|list<string>  $statements
     * @param  (Closure(Outcome): void)|null  $taker  of the outcome of the last
     */
    public function add(string|array $statements, ?Closure $taker = null): void
    {
        array_push($this->statements, ...(array) $statements);
        if ($taker !== null) {
            $this->takers[count($this->statements) - 1] = $taker;
        }
    }

    /** Sends them and waits. */
    public function run(Session $session): void
    {
        $this->send($session);
        $this->take($this->statements === [] ? [] : $session->collect());
    }

    public function send(Session $session): void
    {
        if ($this->statements !== []) {
            $session->send($this->statements);
        }
    }

    /** @param  list<Outcome>  $outcomes  one for each statement */
    public function take(array $outcomes): void
    {
        foreach ($this->takers as $number => $taker) {
            $taker($outcomes[$number]);
        }
    }
}
