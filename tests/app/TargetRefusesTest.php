<?php

declare(strict_types=1);

namespace Tests\App;

use App\Feeds\AsideDesk;
use App\Feeds\Rehearsal;
use App\Feeds\SystemBook;
use App\Models\Feed;
use App\Models\RouteLog;
use App\Models\SetAside;
use App\Runtime\Common\Systems;
use Lighterman\Core\Capture\Capture;
use Lighterman\Core\Landing\FileWriting;
use Lighterman\Core\Treatment\Treatment;
use PHPUnit\Framework\Attributes\Test;
use PHPUnit\Framework\Attributes\TestWith;

/** Records that only the target knows it cannot take: they are found among the others and set aside, and the others land. */
final class TargetRefusesTest extends LogRunnerCase
{
    private const TREATED = ['failing' => 'set_aside', 'columns' => [['from' => 'f', 'steps' => [['convert' => 'float32']]], ['from' => 'j', 'steps' => [['convert' => 'jsonb']]], ['from' => 'd', 'steps' => [['convert' => 'date']]]]];

    private function odd(): void
    {
        $this->gate->run('ALTER TABLE loads ADD f text, ADD j text, ADD d text; ALTER TABLE loads REPLICA IDENTITY FULL');
        $this->spoil();
    }

    private function spoil(): void
    {
        $this->gate->run("UPDATE loads SET f = '1.5', j = '{\"a\": 1}', d = '2026-02-03', updated_at = clock_timestamp()");
        foreach ([3 => "f = '1e39'", 77 => "j = '{\"a\": \"\\u0000\"}'", 120 => "j = '1e400000'", 250 => "d = '-0044-03-15'", 251 => "d = '0000-05-05'", 499 => "j = '{\"a\": \"it''s \\\\u0000\"}'"] as $id => $set) {
            $this->gate->run("UPDATE loads SET {$set}, updated_at = clock_timestamp() WHERE id = {$id}");
        }
        usleep(700_000);
    }

    private function settle(Feed $feed): Feed
    {
        for ($times = 0; $times < 4; $times++) {
            $feed->bringsChanges() ? $this->drain(log: RouteLog::firstOrFail()) : $this->carry($feed->refresh());
            Feed::whereKey($feed->id)->whereNotNull('due_at')->update(['due_at' => now()->subSecond()]);
        }

        return Feed::with('route.source', 'route.target', 'route.logs', 'definition')->findOrFail($feed->id);
    }

    #[Test]
    #[TestWith([Capture::Watermark, false])]
    #[TestWith([Capture::Watermark, true])]
    #[TestWith([Capture::Log, false])]
    #[TestWith([Capture::Trigger, false])]
    #[TestWith([Capture::Log, true])]
    public function what_the_target_refuses_of_many_is_set_aside_and_the_rest_lands(Capture $capture, bool $lake): void
    {
        $path = sys_get_temp_dir().'/lake-'.bin2hex(random_bytes(5));
        if ($lake) {
            mkdir($path);
            $this->target = SystemBook::add('lake', ['path' => $path], '', 'lake');
        }
        try {
            $this->odd();
            $more = ['capture' => $capture, 'watermark' => $capture === Capture::Watermark ? 'updated_at' : null, 'treatment' => Treatment::fromArray(self::TREATED), 'writing' => FileWriting::fromArray([])];
            $feed = $this->settle($capture === Capture::Watermark ? $this->feed($more) : $this->logFeed('loads', $more));
            self::assertSame('on time', $feed->state(), (string) $feed->trouble?->message);
            $apart = SetAside::waiting()->where('feed_id', $feed->id)->get();
            $refused = array_map(static fn (SetAside $s): int => (int) $s->record['id'], $apart->all());
            sort($refused);
            $landed = $lake ? (int) app(Systems::class)->target($this->target)->query('SELECT count(*) FROM copy.loads', 1, 30)->rows[0][0] : (int) $this->house->value('SELECT count(*) FROM copy.loads');
            self::assertSame(500, $landed + count($refused), json_encode($refused));
            self::assertContains(3, $refused);
            self::assertNotContains(499, $refused);
            foreach ($apart as $record) {
                self::assertStringNotContainsString('1e39', $record->reason === 'target_refuses' ? $record->message : '');
            }

            // Rehearsal says the same of the same rows.
            $rehearsal = new Rehearsal($feed, $feed->definition->parsed(), app(Systems::class));
            foreach ([3, 77, 120, 250, 251, 499, 5] as $id) {
                $row = array_values(array_map(static fn (mixed $v): ?string => $v === null ? null : (string) $v, (array) $this->gate->row('SELECT id, kg, updated_at, f, j, d FROM loads WHERE id = '.$id)));
                self::assertSame(in_array($id, $refused, true) ? 'set aside' : 'lands', $rehearsal->of($rehearsal->records([$row])[0])['outcome'], "row {$id}");
            }

            // Later ones are found too, beside what goes on.
            $this->spoil();
            $this->gate->run("UPDATE loads SET f = '-1e39', updated_at = clock_timestamp() WHERE id IN (10, 11); INSERT INTO loads (id, kg, updated_at, f) VALUES (900, 1, clock_timestamp(), '2.5')");
            usleep(700_000);
            $feed = $this->settle($feed);
            self::assertSame('on time', $feed->state(), (string) $feed->trouble?->message);
            $waiting = array_map(static fn (SetAside $s): int => (int) $s->record['id'], SetAside::waiting()->where('feed_id', $feed->id)->get()->all());
            self::assertSame([], array_diff([3, 10, 11], $waiting));
            self::assertSame([], array_diff_assoc($waiting, array_unique($waiting)), 'none waits twice');

            // Edited, they land.
            $record = SetAside::waiting()->with('feed')->where('feed_id', $feed->id)->get()->first(static fn (SetAside $s): bool => (string) $s->record['id'] === '10');
            self::assertNotNull($record);
            AsideDesk::edit($record, ['f' => '7.25']);
            AsideDesk::send($feed, SetAside::whereKey($record->id));
            $feed = $this->settle($feed);
            self::assertSame('sent', $record->refresh()->state);
            self::assertSame('on time', $feed->state());
        } finally {
            exec('rm -rf '.escapeshellarg($path));
        }
    }

    #[Test]
    #[TestWith([Capture::Watermark])]
    #[TestWith([Capture::Trigger])]
    public function what_the_landed_table_demands_of_each_row_sets_aside_that_row(Capture $capture): void
    {
        $more = ['capture' => $capture, 'watermark' => $capture === Capture::Watermark ? 'updated_at' : null, 'treatment' => Treatment::fromArray(['failing' => 'set_aside', 'columns' => [['from' => 'kg', 'steps' => [['derive' => 'kg']]]]])];
        $feed = $this->settle($capture === Capture::Watermark ? $this->feed($more) : $this->logFeed('loads', $more));
        $this->house->run('ALTER TABLE copy.loads ADD CONSTRAINT light CHECK (kg < 9000)');
        $this->gate->run('UPDATE loads SET kg = 9500, updated_at = clock_timestamp() WHERE id = 7; UPDATE loads SET kg = 8500, updated_at = clock_timestamp() WHERE id IN (6, 8)');
        usleep(700_000);
        $feed = $this->settle($feed);
        self::assertSame('on time', $feed->state(), (string) $feed->trouble?->message);
        $record = SetAside::waiting()->where('feed_id', $feed->id)->sole();
        self::assertSame(['7', 'target_refuses', true], [(string) $record->record['id'], $record->reason, str_contains($record->message, 'light')]);
        self::assertSame('2', $this->house->value('SELECT count(*) FROM copy.loads WHERE kg = 8500'));
    }
}
