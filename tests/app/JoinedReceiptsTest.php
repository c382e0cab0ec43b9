<?php

declare(strict_types=1);

namespace Tests\App;

use App\Feeds\Books;
use App\Models\Feed;
use App\Runtime\Common\Receipts;
use Illuminate\Support\Facades\DB;
use Lighterman\Core\Capture\Capture;
use PHPUnit\Framework\Attributes\Test;
use PHPUnit\Framework\Attributes\TestWith;

/** A stream lands several times a second; after some hours its receipts are joined, on both sides, and prove what they proved. */
final class JoinedReceiptsTest extends LogRunnerCase
{
    private const LINES = 'sequence, first_sequence, read, inserted, updated, unchanged, deleted, superseded, bytes, checksum, from_position, to_position';

    /** A feed with some receipts of one run, all of which have landed hours ago. */
    private function fed(Capture $capture = Capture::Log): Feed
    {
        $feed = $this->logFeed('loads', ['capture' => $capture]);
        $this->drain();
        $landed = 0;
        $this->readUntil(function () use (&$landed): bool {
            $now = (int) $this->house->value('SELECT count(*) FROM lighterman.receipt');
            if ($now > $landed) {
                $landed = $now;
                $this->gate->run("UPDATE loads SET kg = kg + 1 WHERE id <= {$landed}");
            }

            return $landed >= 9;
        });
        $this->drain();
        $this->age();

        return $feed->refresh();
    }

    private function age(): void
    {
        foreach (['receipts' => 'landed_at', 'carried_hours' => 'hour', 'runs' => 'started_at'] as $table => $column) {
            DB::update("UPDATE {$table} SET {$column} = date_trunc('hour', now()) - interval '4 hours'");
        }
        $this->house->run("UPDATE lighterman.receipt SET landed_at = date_trunc('hour', now()) - interval '4 hours'");
    }

    /** @return list<array<string, mixed>> */
    private function here(): array
    {
        return array_map(static fn (\stdClass $r): array => array_map(static fn (mixed $v): ?string => $v === null ? null : (string) $v, (array) $r), DB::select('SELECT '.self::LINES.' FROM receipts ORDER BY sequence'));
    }

    /** @return list<array<string, mixed>> */
    private function there(): array
    {
        return $this->house->rows('SELECT '.str_replace(['from_position', 'to_position'], ['from_position::jsonb::text AS from_position', 'to_position::jsonb::text AS to_position'], self::LINES).' FROM lighterman.receipt ORDER BY sequence');
    }

    #[Test]
    #[TestWith([Capture::Log])]
    #[TestWith([Capture::Trigger])]
    public function old_receipts_are_joined_on_both_sides_alike_and_nothing_of_what_they_say_is_lost(Capture $capture): void
    {
        $feed = $this->fed($capture);
        $single = $this->here();
        self::assertGreaterThan(5, count($single));
        self::assertSame($single, $this->there());
        Receipts::join();
        $joined = $this->here();
        self::assertLessThan(count($single), count($joined));
        self::assertSame([], Books::check());
        // Whoever reads the stream next has the target do the same.
        $this->drain();
        self::assertSame($joined, $this->there());
        $next = 1;
        foreach ($joined as $line) {
            $of = array_slice($single, $next - 1, (int) $line['sequence'] - $next + 1);
            self::assertSame((string) $next, $line['first_sequence'] ?? $line['sequence']);
            self::assertSame($line['first_sequence'] === null ? $of[0]['checksum'] : hash('sha256', implode(' ', array_column($of, 'checksum'))), $line['checksum'], 'changing one of them would show');
            self::assertSame([array_sum(array_column($of, 'read')), $of[0]['from_position'], $of[count($of) - 1]['to_position']], [(int) $line['read'], $line['from_position'], $line['to_position']]);
            $next = (int) $line['sequence'] + 1;
        }
        self::assertSame(count($single) + 1, $next);
        Receipts::join();
        self::assertSame($joined, $this->here(), 'again changes nothing');
        $last = $feed->receipts()->whereNotNull('first_sequence')->latest('sequence')->firstOrFail();
        $this->actingAs($this->person('reader', 'viewer'))->get("/runs/{$last->run_id}")->assertOk()->assertSee("#{$last->first_sequence} to #{$last->sequence}")->assertSee('Each receipt begins where the one before it ended.');
        $this->gate->run('UPDATE loads SET kg = 0 WHERE id = 3');
        $this->drain();
        $this->assertCopied();
        $this->assertRunsAddUp($feed);
    }

    /** What they say of the time after it has not happened. */
    #[Test]
    public function a_target_put_back_to_a_state_within_what_is_joined_here_is_copied_from_anew(): void
    {
        $feed = $this->fed();
        $this->house->run('CREATE SCHEMA older; CREATE TABLE older.loads AS TABLE copy.loads; CREATE TABLE older.receipt AS TABLE lighterman.receipt; CREATE TABLE older.position AS TABLE lighterman.position');
        Receipts::join();
        $this->drain();
        $within = (int) $this->house->value('SELECT max(sequence) - 2 FROM lighterman.receipt');
        $this->house->run("TRUNCATE lighterman.receipt; INSERT INTO lighterman.receipt SELECT * FROM older.receipt WHERE sequence <= {$within};
            UPDATE lighterman.position p SET sequence = r.sequence, position = r.to_position FROM older.receipt r WHERE r.feed = p.feed AND r.sequence = {$within}");
        $this->drain();
        $this->assertCopied();
        self::assertSame([], Books::check());
        self::assertSame('carried', $feed->refresh()->standing);
    }

    #[Test]
    public function our_own_database_put_back_to_a_state_within_what_the_target_has_joined_catches_up(): void
    {
        $feed = $this->fed();
        // The target joins, and we have not.
        $this->drain();
        self::assertGreaterThan(0, (int) $this->house->value('SELECT count(*) FROM lighterman.receipt WHERE first_sequence IS NOT NULL'));
        $within = $feed->sequence - 2;
        Receipts::takeBack($feed->id, $within);
        DB::update('UPDATE feeds SET position = (SELECT to_position FROM receipts WHERE sequence = ?)', [$within]);
        $this->drain();
        self::assertSame($this->there(), $this->here());
        self::assertSame([], Books::check());
        $this->assertCopied();
    }
}
