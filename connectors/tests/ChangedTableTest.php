<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Tests;

use Lighterman\Core\Carrying\RowDelivery;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Port\Finding;
use Lighterman\Core\Port\Holder;
use Lighterman\Core\Port\Sampling;
use Lighterman\Core\Record\Batch;
use Lighterman\Core\Record\Stretch;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Trouble\SystemTrouble;
use PHPUnit\Framework\Attributes\Test;

/** What becomes of a landed table when the treatment of its feed changes. */
final class ChangedTableTest extends PostgresCase
{
    private FeedDefinition $plain;

    protected function setUp(): void
    {
        parent::setUp();
        $this->gate->run("CREATE TABLE loads (id int PRIMARY KEY, ticket varchar(10) NOT NULL, kg int, updated_at timestamptz NOT NULL); INSERT INTO loads SELECT g, 'T' || g, g, now() - interval '1 day' FROM generate_series(1, 20) g");
        $this->plain = $this->feed('public.loads', 'updated_at', ['id']);
        $this->carry($this->plain);
    }

    /** @param  list<array<string, mixed>>  $columns */
    private function changed(array $columns): FeedDefinition
    {
        return FeedDefinition::fromArray(['treatment' => ['columns' => $columns, 'failing' => 'drop']] + $this->plain->toArray());
    }

    #[Test]
    public function columns_are_renamed_added_and_widened_and_rows_keep_their_values(): void
    {
        $wanted = $this->changed([['from' => 'id', 'as' => 'load_id', 'steps' => [['convert' => 'int64']]], ['from' => 'ticket', 'as' => 'code', 'steps' => [['convert' => 'varchar(40)']]], ['from' => 'kg', 'steps' => [['convert' => 'text']]], ['as' => 'twice', 'steps' => [['derive' => 'number(kg) * 2', 'type' => 'int64']]]]);
        $preparation = $this->target->prepareChange($wanted->landedTable(), ['' => ['id' => 'load_id', 'ticket' => 'code', 'never' => 'there']]);
        self::assertSame([], array_map(static fn (Finding $f): string => $f->said, $preparation->obstacles()));
        self::assertSame([
            'ALTER TABLE "gate"."loads" RENAME COLUMN "id" TO "load_id";', 'ALTER TABLE "gate"."loads" RENAME COLUMN "ticket" TO "code";', 'ALTER TABLE "gate"."loads" ALTER COLUMN "load_id" TYPE bigint;',
            'ALTER TABLE "gate"."loads" ALTER COLUMN "code" TYPE varchar(40);', 'ALTER TABLE "gate"."loads" ALTER COLUMN "kg" TYPE text;', 'ALTER TABLE "gate"."loads" ADD COLUMN "twice" bigint;',
        ], $preparation->statements);
        $this->target->alter($preparation->statements);
        self::assertSame(['load_id' => '7', 'code' => 'T7', 'kg' => '7', 'twice' => null], $this->house->row('SELECT load_id, code, kg, twice FROM gate.loads WHERE load_id = 7'));
        self::assertSame([], $this->target->prepare($wanted->landedTable(), 'feed-loads')->obstacles());
        self::assertSame([], $this->target->prepareChange($wanted->landedTable(), [])->statements);
    }

    #[Test]
    public function what_would_touch_values_or_leave_a_column_without_one_is_told(): void
    {
        $narrow = $this->target->prepareChange($this->changed([['from' => 'ticket', 'steps' => [['convert' => 'int32']]]])->landedTable(), []);
        self::assertSame([[], ['Column ticket of gate.loads is varchar(10), which does not hold every int32.']], [$narrow->statements, array_map(static fn (Finding $f): string => $f->said, $narrow->obstacles())]);
        $this->house->run('UPDATE gate.loads SET ticket = right(ticket, -1)');
        $this->house->run((string) strstr((string) $narrow->obstacles()[0]->remedy, ' or land', true));
        self::assertSame([], $this->target->prepareChange($this->changed([['from' => 'ticket', 'steps' => [['convert' => 'int32']]]])->landedTable(), [])->obstacles(), 'the remedy is one');
        $dropped = $this->target->prepareChange($this->changed([['from' => 'ticket', 'drop' => true]])->landedTable(), []);
        self::assertSame([['ALTER TABLE "gate"."loads" ALTER COLUMN "ticket" DROP NOT NULL;'], []], [$dropped->statements, $dropped->obstacles()]);
    }

    #[Test]
    public function statements_run_all_or_none(): void
    {
        try {
            $this->target->alter(['ALTER TABLE gate.loads ADD COLUMN one int;', 'ALTER TABLE gate.loads ADD COLUMN id int;']);
            self::fail('ran');
        } catch (SystemTrouble $trouble) {
            self::assertStringContainsString('already exists', $trouble->getMessage());
        }
        self::assertNull($this->house->value("SELECT 1 FROM information_schema.columns WHERE table_schema = 'gate' AND column_name = 'one'"));
    }

    #[Test]
    public function what_would_be_written_is_explained_and_not_written(): void
    {
        $told = $this->target->explain($this->plain->landedTable(), ['99', "tab\there", null, '2026-01-01 00:00:00+00']);
        self::assertStringContainsString("99\ttab\\there\t\\N\t2026-01-01 00:00:00+00", $told);
        self::assertStringContainsString('ON CONFLICT ("id") DO UPDATE SET', $told);
        self::assertSame('20', $this->house->value('SELECT count(*) FROM gate.loads'));
        $append = $this->feed('public.loads', 'updated_at', ['id'], Landing::Append, ['landed' => new TableName('gate', 'all_loads')]);
        self::assertStringStartsWith('COPY "gate"."all_loads" (', $this->target->explain($append->landedTable(), ['1', 'a', '2', 'x']));
    }

    #[Test]
    public function records_sent_again_land_beside_the_others_and_leave_the_position(): void
    {
        foreach ([Landing::Upsert, Landing::Replace] as $landing) {
            $feed = $landing === Landing::Upsert ? $this->plain : $this->feed('public.loads', null, ['id'], $landing, ['landed' => new TableName('gate', 'whole'), 'name' => 'whole']);
            $this->carry($feed);
            $session = RowDelivery::open($this->target, $feed->landedTable(), Holder::feed("feed-{$feed->name}", 1));
            [$position, $sequence] = [$session->position(), $session->sequence()];
            $receipt = $session->again(new Batch($feed->landedTable()->shape, "100\tT100\t1\t2026-01-01 00:00:00+00\n", new Stretch($position, $position, null, true), 2, 1), 7);
            self::assertSame([4, 1, 2, 1, $sequence + 1, 7], [$receipt->read, $receipt->inserted, $receipt->dropped, $receipt->setAside, $receipt->sequence, $receipt->run]);
            self::assertTrue($session->position()->equals($position));
            $session->close();
            self::assertSame('21', $this->house->value("SELECT count(*) FROM gate.{$feed->destination->table->name}"));
        }
    }

    #[Test]
    public function rows_are_sampled_as_the_feed_reads_them(): void
    {
        $feed = FeedDefinition::fromArray(['leave_out' => ['kg']] + $this->plain->toArray());
        self::assertSame([['1', 'T1'], ['2', 'T2']], array_map(static fn (array $r): array => array_slice($r, 0, 2), $this->source->some($feed, Sampling::first(), 2)));
        self::assertSame(['20'], array_column($this->source->some($feed, Sampling::last(), 1), 0));
        self::assertSame(['7'], array_column($this->source->some($feed, Sampling::key(['id' => '7']), 5), 0));
        self::assertCount(20, array_unique(array_column($this->source->some($feed, Sampling::random(), 50), 0)));
        self::assertCount(3, $this->source->some($feed, Sampling::random(), 1)[0]);
    }
}
