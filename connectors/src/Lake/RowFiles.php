<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Lake;

use Lighterman\Connectors\Engine\Engine;
use Lighterman\Connectors\Engine\TypeMap;
use Lighterman\Connectors\Sent;
use Lighterman\Core\Format\CopyText;
use Lighterman\Core\Landing\LandedTable;
use Lighterman\Core\Record\Batch;
use Lighterman\Core\Record\Counts;
use LogicException;

/** The rows of one feed, as queries bring them, on their way into a lake: into its own table, and into those of its forks. */
final class RowFiles implements FeedFiles
{
    /** @var array<string, TableWriter> by fork */
    private readonly array $writers;

    /** Whether rows need not be looked for among those that are there. */
    private bool $straight;

    private bool $merges = false;

    /** What has come since the delivery began; null between two. */
    private ?Sent $sent = null;

    /** Lines of the keys of rows that are kept out from now on. */
    private string $gone = '';

    /**
     * @param  int  $number  that tells its first table apart, those of forks follow
     * @param  array<string, LandedFiles>  $tables  by name, as they are
     */
    public function __construct(Folder $folder, Engine $engine, private readonly LandedTable $landed, string $work, int $number, array $tables)
    {
        $writers = [];
        foreach ($landed->tables() as $fork => $table) {
            $writers[$fork] = new TableWriter($folder, $engine, $table, $work, $number + count($writers));
        }
        $this->writers = $writers;
        $this->straight = ! $landed->repeats() && array_sum(array_map(static fn (LandedFiles $t): int => count($t->files), $tables)) === 0;
    }

    public function landed(): LandedTable
    {
        return $this->landed;
    }

    public function hasAny(): bool
    {
        return $this->sent !== null;
    }

    /**
     * @param  Page  $was  what the feed has landed before the delivery
     * @param  bool  $beside  as LandingSession::put() has it
     */
    public function put(Batch $batch, Page $was, string $now, bool $beside): void
    {
        $this->sent ??= $this->begin($batch, $was, $beside);
        foreach ($batch->parts() as $fork => $lines) {
            if ($lines !== '') {
                $this->writers[$fork]->write($batch->stamped($lines, $this->landed->as->stamps->wanted(), $now));
            }
        }
        $this->gone .= $batch->gone;
        $this->sent->add($batch);
    }

    private function begin(Batch $batch, Page $was, bool $beside): Sent
    {
        // A first load that began with nothing there reads each key once; nothing that is there can be one of its rows.
        $this->straight = $this->straight && ! $beside && $batch->stretch->from->isLoading();
        $this->merges = $this->landed->as->landing->merges() && ! $this->straight;
        foreach ($this->landed->tables() as $fork => $table) {
            $this->writers[$fork]->begin($was->tables[(string) $table->name], $was->sequence + 1, $was->nextPrefix(), $this->merges, $this->landed->as->landing->swaps() && ! $beside);
        }
        $this->gone = '';

        return new Sent;
    }

    public function finish(): array
    {
        $sent = $this->sent ?? throw new LogicException('There is nothing to finish.');
        [$tables, $counts] = [[], new Counts(0)];
        $keys = $this->merges ? array_map(static fn (TableWriter $w): string => $w->staged(), $this->writers) : [];
        foreach ($this->landed->tables() as $fork => $table) {
            $leaving = array_diff_key($keys, [$fork => true]);
            if ($this->gone !== '' && $this->merges) {
                $leaving[] = $this->goneKeys();
            }
            [$files, $own] = $this->writers[$fork]->finish($this->merges ? implode(' UNION ALL ', $leaving) : '');
            $tables[(string) $table->name] = $this->writers[$fork]->joined($files);
            $counts = $counts->plus($own);
        }

        return [$tables, $counts->plus($sent->counts()), $sent->rows];
    }

    /** Keys of rows that leave, as a query: that are kept out from now on, or were elements that their list has lost. */
    private function goneKeys(): string
    {
        $rows = [];
        foreach (explode("\n", substr($this->gone, 0, -1)) as $line) {
            $rows[] = '('.implode(', ', array_map(fn (?string $v, string $k): string => TypeMap::value($v, $this->landed->shape->column($k)->type ?? throw new LogicException("{$k} does not land.")), CopyText::row($line), $this->landed->key)).')';
        }

        $gone = 'SELECT * FROM (VALUES '.implode(', ', $rows).') g('.implode(', ', array_map(Engine::name(...), $this->landed->key)).')';
        if ($this->landed->place === null) {
            return $gone;
        }
        $place = Engine::name($this->landed->place);
        $same = implode(' AND ', array_map(static fn (string $c): string => 'o.'.Engine::name($c).' = g.'.Engine::name($c), $this->landed->recordKey()));

        // Elements that their list has lost.
        return 'SELECT '.implode(', ', array_map(static fn (string $c): string => 'o.'.Engine::name($c), $this->landed->key))." FROM ({$this->writers['']->before()}) o JOIN ({$gone}) g ON {$same} AND (o.{$place} > g.{$place} OR (o.{$place} = 0 AND g.{$place} > 0))";
    }

    public function joined(Page $was, string $prefix): array
    {
        $joined = [];
        foreach ($this->landed->tables() as $fork => $table) {
            $joined[(string) $table->name] = $this->writers[$fork]->joinedBy($was->tables[(string) $table->name], $was->sequence, $prefix);
        }

        return $joined;
    }

    public function name(array $now, array $before): void
    {
        foreach ($this->landed->tables() as $fork => $table) {
            $this->writers[$fork]->name($now[(string) $table->name], $before[(string) $table->name]);
        }
    }

    public function handOver(): array
    {
        return array_merge([], ...array_values(array_map(static fn (TableWriter $w): array => $w->handOver(), $this->writers)));
    }

    public function clear(): void
    {
        $this->sent = null;
        $this->gone = '';
        array_map(static fn (TableWriter $w) => $w->clear(), $this->writers);
    }
}
