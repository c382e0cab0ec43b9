<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Triggers;

use InvalidArgumentException;
use Lighterman\Core\Capture\Slice;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Latency\ClockOffset;
use Lighterman\Core\Port\ChangeLog;
use Lighterman\Core\Port\LoadChunk;
use Lighterman\Core\Port\LogReader;
use Lighterman\Core\Port\LogState;
use Lighterman\Core\Position\Place;
use Lighterman\Core\Position\ReadingPlace;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Trouble\StreamTrouble;

/** A change log made by triggers, for databases whose own cannot be had. */
final class TriggerLog implements ChangeLog
{
    private ?TriggerReader $reader = null;

    public function __construct(private readonly string $system, private readonly ChangeTable $changes)
    {
    }

    /**
     * @param  string  $foreseen  eight characters that a route keeps
     * @return array<string, string>
     */
    public static function names(string $foreseen): array
    {
        return ['triggers' => $foreseen];
    }

    public function check(array $tables): array
    {
        return $this->changes->findings($tables);
    }

    public function statements(array $tables): array
    {
        $there = $this->changes->exists();
        $wanting = $there ? $this->changes->amiss($tables) : [];
        $statements = $there ? [] : $this->changes->tableStatements();
        foreach ($tables as $table) {
            if (! $there || isset($wanting[(string) $table])) {
                $statements = [...$statements, ...$this->changes->triggerStatements($table)];
            }
        }

        return $statements;
    }

    public function ensure(array $tables, bool $begin, ?Place $after = null): Place
    {
        foreach ($this->check($tables) as $finding) {
            if ($finding->result === 'failed') {
                throw StreamTrouble::notReady($this->system, $finding->said, (string) $finding->remedy);
            }
        }
        if ($begin && ! $this->changes->exists()) {
            // A target may know places of a change table that was lost; those of the new one come later.
            $this->changes->create($after instanceof ReadingPlace ? $after->reading + 1 : 0);
        }
        $this->required();
        $amiss = $this->amiss($tables);
        foreach ($tables as $table) {
            if (isset($amiss[(string) $table])) {
                $this->changes->install($table);
            }
        }

        return $this->changes->last()->place();
    }

    public function amiss(array $tables): array
    {
        return $this->changes->amiss($tables);
    }

    public function leave(array $tables): void
    {
        array_map($this->changes->uninstall(...), $tables);
    }

    public function remove(): void
    {
        $this->changes->drop();
    }

    public function state(?Place $read = null): ?LogState
    {
        return $this->changes->exists() ? new LogState(0, $this->changes->bytes(), false) : null;
    }

    public function required(?Place $read = null): LogState
    {
        return $this->state()
            ?? throw StreamTrouble::changesGone($this->system, "{$this->system}: the change table {$this->changes->name()} is gone. Changes made since then are known to nobody.");
    }

    public function open(?Place $from): LogReader
    {
        $this->required();

        return $this->reader = new TriggerReader($this->changes, $this->system, $from instanceof ReadingPlace ? $from : ReadingPlace::before(0, 0));
    }

    public function mark(string $content, bool $after): void
    {
        ($this->reader ?? throw new \LogicException('A mark needs a reader to come back through.'))->mark($content, $after);
    }

    public function chunk(FeedDefinition $definition, Slice $slice, int $rows): LoadChunk
    {
        return $this->changes->chunk($definition, $slice, $rows);
    }

    public function passed(FeedDefinition $definition, array $reached, array $keys): array
    {
        return $this->changes->passed($definition, $reached, $keys);
    }

    public function sharing(array $definitions): array
    {
        return $this->changes->sharing($definitions);
    }

    public function identities(array $tables): array
    {
        return $this->changes->identities($tables);
    }

    public function place(string $text): ReadingPlace
    {
        try {
            return ReadingPlace::parse($text);
        } catch (InvalidArgumentException $e) {
            throw StreamTrouble::noPlace($this->system, $e->getMessage());
        }
    }

    public function statementForWholeRows(TableName $table): ?string
    {
        return null;
    }

    public function clock(): ClockOffset
    {
        return $this->changes->clock();
    }

    public function lingering(array $transactions): bool
    {
        return false;
    }
}
