<?php

declare(strict_types=1);

namespace Lighterman\Core\Tests\Guarantee;

use Lighterman\Core\Capture\Capture;
use Lighterman\Core\Capture\ColumnFacts;
use Lighterman\Core\Capture\KeyFacts;
use Lighterman\Core\Capture\Outrun;
use Lighterman\Core\Capture\RowCount;
use Lighterman\Core\Capture\TableFacts;
use Lighterman\Core\Definition\Guarantee;
use Lighterman\Core\Guarantee\Claim;
use Lighterman\Core\Guarantee\SourceCapabilities;
use Lighterman\Core\Guarantee\TargetCapabilities;
use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Shape\Type;
use Lighterman\Core\Shape\TypeKind;
use Lighterman\Core\Tests\Definition\Definitions;
use Lighterman\Core\Treatment\Explode;
use Lighterman\Core\Treatment\Outcome;
use Lighterman\Core\Treatment\Treatment;
use PHPUnit\Framework\Attributes\Test;
use PHPUnit\Framework\TestCase;

final class GuaranteeTest extends TestCase
{
    private static function claim(string $subject, Capture $capture, Landing $landing, bool $sees = true, bool $transactional = true, int $overlap = 0, ?ColumnFacts $column = null, int $updates = 0, ?string $triggersMiss = null): Claim
    {
        $shape = new Shape([new Column('id', Type::of(TypeKind::Int64), false), new Column('updated_at', Type::of(TypeKind::TimestampTz))], ['id']);
        $feed = Definitions::of('f', new TableName('s', 't'), $shape, $capture, ['id'], $landing, new TableName('l', 't'), $capture === Capture::Watermark ? ($column->column->name ?? 'updated_at') : null, overlap: $overlap);
        $facts = $column === null ? null : new TableFacts($feed->origin->table, $shape, new RowCount(100, true, 100, $updates), [$column->column->name => $column], new KeyFacts(['id']));
        foreach (Guarantee::derive($feed, new SourceCapabilities($sees, triggersMiss: $triggersMiss), new TargetCapabilities($transactional), $facts)->claims as $claim) {
            if ($claim->subject === $subject) {
                return $claim;
            }
        }
        self::fail("no claim about {$subject}");
    }

    #[Test]
    public function exactly_once_is_claimed_only_where_rows_and_position_commit_together(): void
    {
        self::assertSame('kept', self::claim('delivery', Capture::Watermark, Landing::Upsert)->strength);
        self::assertSame('At least once', self::claim('delivery', Capture::Watermark, Landing::Upsert, transactional: false)->headline);
        self::assertSame('Once per reload', self::claim('delivery', Capture::Reload, Landing::Append)->headline);
    }

    #[Test]
    public function deletes_are_seen_only_by_a_reload_that_replaces(): void
    {
        self::assertSame('kept', self::claim('deletes', Capture::Reload, Landing::Replace)->strength);
        self::assertSame('not given', self::claim('deletes', Capture::Reload, Landing::Upsert)->strength);
        self::assertSame('not given', self::claim('deletes', Capture::Watermark, Landing::Upsert)->strength);
    }

    #[Test]
    public function elements_that_a_list_has_lost_stay_where_rows_are_added(): void
    {
        $shape = new Shape([new Column('id', Type::of(TypeKind::Int64), false), new Column('loads', Type::listOf(Type::of(TypeKind::Int64))), new Column('at', Type::of(TypeKind::TimestampTz), false)], ['id']);
        $said = static function (Capture $capture, Landing $landing) use ($shape): array {
            $feed = Definitions::of('f', new TableName('s', 't'), $shape, $capture, ['id'], $landing, new TableName('l', 't'), $capture === Capture::Watermark ? 'at' : null, treatment: (new Treatment(failing: Outcome::Stop))->exploding(new Explode('loads', 'load_no')));

            return array_column(Guarantee::derive($feed, new SourceCapabilities(true), new TargetCapabilities(true))->toArray(), 'headline');
        };
        self::assertContains('Elements that loads loses stay', $said(Capture::Watermark, Landing::Append));
        self::assertNotContains('Elements that loads loses stay', $said(Capture::Reload, Landing::Replace));
    }

    /** Sources may take keys for one that are spelt otherwise; a copy does not. */
    #[Test]
    public function who_is_shown_rows_only_as_they_are_cannot_follow_a_key(): void
    {
        $shape = new Shape([new Column('code', Type::of(TypeKind::Text), false), new Column('at', Type::of(TypeKind::TimestampTz), false)], ['code']);
        $said = static function (Capture $capture, Landing $landing, ?string $spellings) use ($shape): ?string {
            $feed = Definitions::of('f', new TableName('s', 't'), $shape, $capture, ['code'], $landing, new TableName('l', 't'), $capture === Capture::Watermark ? 'at' : null);
            $claims = array_column(Guarantee::derive($feed, new SourceCapabilities(true, spellings: $spellings), new TargetCapabilities(true))->toArray(), null, 'subject');

            return $claims['keys']['reason'] ?? null;
        };
        self::assertSame('A query shows rows as they are, and not which key they had before. Capture log or trigger, or a reload that replaces, follows it.', $said(Capture::Watermark, Landing::Upsert, null));
        foreach ([[Capture::Watermark, Landing::Upsert], [Capture::Reload, Landing::Upsert]] as [$capture, $landing]) {
            self::assertStringContainsString('They take abc and ABC for one key. In the copy a key is its bytes', (string) $said($capture, $landing, 'They take abc and ABC for one key.'));
        }
        foreach ([[Capture::Trigger, Landing::Upsert], [Capture::Log, Landing::Versions], [Capture::Reload, Landing::Replace], [Capture::Watermark, Landing::Append]] as [$capture, $landing]) {
            self::assertNull($said($capture, $landing, 'They take abc and ABC for one key.'));
        }
    }

    #[Test]
    public function late_commits_are_at_risk_where_open_transactions_cannot_be_seen(): void
    {
        self::assertSame('kept', self::claim('late commits', Capture::Watermark, Landing::Upsert)->strength);
        self::assertStringContainsString('Grant pg_read_all_stats', self::claim('late commits', Capture::Watermark, Landing::Upsert, sees: false)->reason);
        self::assertStringContainsString('60 seconds', self::claim('late commits', Capture::Watermark, Landing::Upsert, sees: false, overlap: 60)->reason);
        self::assertSame('kept', self::claim('late commits', Capture::Reload, Landing::Replace, sees: false)->strength);
    }

    #[Test]
    public function changes_are_claimed_no_further_than_the_watermark_moves(): void
    {
        $at = static fn (mixed ...$f): ColumnFacts => new ColumnFacts(new Column('updated_at', Type::of(TypeKind::TimestampTz)), ...['nulls' => 0, ...$f]);
        $id = new ColumnFacts(new Column('id', Type::of(TypeKind::Int64), false), 0, unique: true, insertOnly: true);

        self::assertSame('kept', self::claim('changes', Capture::Watermark, Landing::Upsert, column: $at())->strength);
        self::assertSame('at risk', self::claim('changes', Capture::Watermark, Landing::Upsert, column: $at(nulls: 4))->strength);
        self::assertSame('not given', self::claim('changes', Capture::Watermark, Landing::Upsert, column: $at(outrun: new Outrun(4, 'x')))->strength);
        self::assertSame('not given', self::claim('changes', Capture::Watermark, Landing::Upsert, column: $id, updates: 9)->strength);
        self::assertSame('kept', self::claim('changes', Capture::Watermark, Landing::Upsert, column: $id)->strength);
    }

    #[Test]
    public function triggers_claim_what_they_see_and_say_what_fires_none(): void
    {
        self::assertSame(['kept', 'Every change is seen and kept'], [self::claim('changes', Capture::Trigger, Landing::Versions)->strength, self::claim('changes', Capture::Trigger, Landing::Versions)->headline]);
        self::assertSame('kept', self::claim('deletes', Capture::Trigger, Landing::Upsert)->strength);
        self::assertSame('kept', self::claim('late commits', Capture::Trigger, Landing::Upsert, sees: false)->strength);
        $miss = 'No trigger fires for TRUNCATE.';
        self::assertSame(['at risk', $miss], [self::claim('changes', Capture::Trigger, Landing::Upsert, triggersMiss: $miss)->strength, self::claim('changes', Capture::Trigger, Landing::Upsert, triggersMiss: $miss)->reason]);
        self::assertSame('at risk', self::claim('deletes', Capture::Trigger, Landing::Versions, triggersMiss: $miss)->strength);
        self::assertSame('kept', self::claim('changes', Capture::Log, Landing::Upsert, triggersMiss: $miss)->strength, 'a log does not depend on triggers');
    }

    #[Test]
    public function what_checks_keep_out_is_said(): void
    {
        $shape = new Shape([new Column('id', Type::of(TypeKind::Int64), false), new Column('updated_at', Type::of(TypeKind::TimestampTz))], ['id']);
        $said = static function (array $treatment, Landing $landing = Landing::Upsert) use ($shape): ?string {
            $feed = Definitions::of('f', new TableName('s', 't'), $shape, Capture::Watermark, ['id'], $landing, new TableName('l', 't'), 'updated_at', treatment: Treatment::fromArray($treatment));
            $claims = array_column(Guarantee::derive($feed, new SourceCapabilities(true), new TargetCapabilities(true))->toArray(), null, 'subject');

            return isset($claims['completeness']) ? "{$claims['completeness']['headline']}. {$claims['completeness']['reason']}" : null;
        };
        $check = static fn (string $else, string $failing = 'stop'): array => ['checks' => [['check' => 'required', 'columns' => ['id'], 'else' => $else]], 'failing' => $failing];
        self::assertNull($said([]));
        self::assertNull($said($check('warn')));
        self::assertNull($said($check('stop')));
        self::assertStringContainsString('kept out until they are mended', (string) $said($check('set_aside')));
        self::assertStringContainsString('stays as it was meanwhile', (string) $said($check('warn', 'set_aside')));
        self::assertStringContainsString('some for good', (string) $said($check('drop', 'set_aside')));
        self::assertStringNotContainsString('wait with their reason', (string) $said($check('drop')));
        self::assertStringNotContainsString('meanwhile', (string) $said($check('drop'), Landing::Append));
    }
}
