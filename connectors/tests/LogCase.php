<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Tests;

use Lighterman\Connectors\Postgres\Log\PostgresLog;
use Lighterman\Core\Capture\Capture;
use Lighterman\Core\Capture\Log\Begin;
use Lighterman\Core\Capture\Log\Commit;
use Lighterman\Core\Capture\Log\LoggedRow;
use Lighterman\Core\Capture\Log\Mark;
use Lighterman\Core\Capture\Log\Truncated;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Landing\Change;
use Lighterman\Core\Landing\ChangePlan;
use Lighterman\Core\Landing\Journal;
use Lighterman\Core\Landing\KeyOf;
use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Landing\NetChanges;
use Lighterman\Core\Landing\SourceCommit;
use Lighterman\Core\Landing\Versions;
use Lighterman\Core\Port\Holder;
use Lighterman\Core\Port\LandingSession;
use Lighterman\Core\Port\LogReader;
use Lighterman\Core\Position\LogPlace;
use Lighterman\Core\Position\Place;
use Lighterman\Core\Position\StreamPosition;
use Lighterman\Core\Record\Arrival;
use Lighterman\Core\Record\Receipt;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Tests\Definition\Definitions;

/** A log between the two test databases, and the plainest way to land what it brings. */
abstract class LogCase extends PostgresCase
{
    protected PostgresLog $log;

    protected ?LogReader $reader = null;

    private ?Place $place = null;

    protected function setUp(): void
    {
        parent::setUp();
        $this->log = new PostgresLog($this->settings('weighbridge', $this->database('gate')), 'lighterman_'.$this->database('gate'), 'lighterman_test');
    }

    protected function tearDown(): void
    {
        $this->reader?->close();
        $this->log->remove();
        parent::tearDown();
    }

    /**
     * @param  list<string>  $key
     * @param  array<string, mixed>  $more
     */
    protected function logFeed(string $table, array $key, Landing $landing = Landing::Upsert, array $more = []): FeedDefinition
    {
        $name = TableName::parse($table);

        return Definitions::of(...['name' => $name->name.' '.$landing->value, 'source' => $name, 'shape' => $this->source->shape($name), 'capture' => Capture::Log, 'key' => $key, 'landing' => $landing,
            'landed' => new TableName('gate', $name->name.'_'.$landing->value), ...$more]);
    }

    protected static function plan(FeedDefinition $feed): ChangePlan
    {
        $key = KeyOf::columns($feed->carried()->names(), $feed->origin->key);

        return match ($feed->destination->landing) {
            Landing::Append => new Journal, Landing::Versions => new Versions($key), default => new NetChanges($key),
        };
    }

    protected function landing(FeedDefinition ...$feeds): LandingSession
    {
        $landing = $this->target->landing(Holder::route('route', 1));
        foreach ($feeds as $feed) {
            $landing->admit($feed->landedTable(), $feed->name);
        }

        return $landing;
    }

    /** Reads everything committed by now. @return list<Begin|Commit|LoggedRow|Truncated> */
    protected function read(): array
    {
        $this->reader ??= $this->log->open(null);
        $mark = bin2hex(random_bytes(8));
        $this->log->mark($mark, after: true);
        $messages = [];
        for ($until = microtime(true) + 10; microtime(true) < $until;) {
            $message = $this->reader->next(500);
            if ($message instanceof Mark && $message->content === $mark) {
                // The last of them begins the transaction of the mark itself.
                return array_slice($messages, 0, -1);
            }
            if ($message instanceof Begin || $message instanceof Commit || $message instanceof LoggedRow || $message instanceof Truncated) {
                $messages[] = $message;
            }
        }
        self::fail('The mark did not come back through the log.');
    }

    /** Lands everything committed by now, all of it in one transaction. */
    protected function land(LandingSession $landing, FeedDefinition $feed): Receipt
    {
        $plan = self::plan($feed);
        $commit = new SourceCommit(LogPlace::commitAt(0), 0);
        $number = 0;
        $landing->begin();
        foreach ($this->read() as $message) {
            if ($message instanceof Begin) {
                $commit = new SourceCommit($message->place, $message->committedAt);
                $number = 0;
            } elseif ($message instanceof Commit) {
                $this->place = $message->end;
            } elseif ($message instanceof LoggedRow && (string) $message->relation->table === (string) $feed->origin->table) {
                $plan->add(self::change($feed, $message, ++$number), $commit);
            } elseif ($message instanceof Truncated) {
                $landing->apply($feed->name, $plan);
                $plan->clear();
                $landing->truncate($feed->name, $commit, ++$number);
            }
        }
        $landing->apply($feed->name, $plan);

        return $landing->commit([new Arrival($feed->name, StreamPosition::at($this->place?->text() ?? self::fail('Nothing was read.')), 1)], $this->place, $commit->time())[$feed->name];
    }

    private static function change(FeedDefinition $feed, LoggedRow $row, int $number): Change
    {
        $pick = static fn (?array $values): ?array => $values === null ? null : array_map(static fn (string $c): string|false|null => $values[array_search($c, $row->relation->columns, true)], $feed->carried()->names());

        return new Change($row->operation, $pick($row->before), $pick($row->after), $number);
    }
}
