<?php

declare(strict_types=1);

namespace Lighterman\Core\Tests\Treatment;

use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Shape\Type;
use Lighterman\Core\Treatment\Fork;
use Lighterman\Core\Treatment\InvalidTreatment;
use Lighterman\Core\Treatment\Outcome;
use Lighterman\Core\Treatment\Reach;
use Lighterman\Core\Treatment\RowCompiler;
use Lighterman\Core\Treatment\Treated;
use Lighterman\Core\Treatment\Treater;
use Lighterman\Core\Treatment\Treatment;
use PHPUnit\Framework\Attributes\DataProvider;
use PHPUnit\Framework\Attributes\Test;
use PHPUnit\Framework\TestCase;

final class ForkTest extends TestCase
{
    private const FORKS = [
        ['name' => 'small', 'when' => 'hectares < 1', 'landed' => 'copy.small', 'columns' => [['from' => 'phone', 'as' => 'phone', 'steps' => [['mask' => 'keep_last', 'keep' => 2]]], ['as' => 'share', 'steps' => [['derive' => '1 / hectares']]]]],
        ['name' => 'steep', 'when' => 'slope > 20', 'landed' => 'copy.steep'],
    ];

    private static function shape(): Shape
    {
        return new Shape([new Column('id', Type::parse('int32'), false), new Column('ha', Type::parse('decimal(6,2)')), new Column('slope', Type::parse('int32')), new Column('phone', Type::parse('text'))], ['id']);
    }

    /** @param  array<string, mixed>  $more */
    private static function treatment(array $more = []): Treatment
    {
        return Treatment::fromArray($more + ['columns' => [['from' => 'ha', 'as' => 'hectares']], 'forks' => self::FORKS, 'otherwise' => 'land', 'failing' => 'set_aside']);
    }

    private static function treater(Treatment $treatment): Treater
    {
        $rows = new RowCompiler(self::shape(), $treatment, new Reach(static fn (): string => str_repeat('k', 32)));
        $rows->demandFlawless();

        return new Treater($rows, $treatment, []);
    }

    #[Test]
    public function the_first_fork_whose_condition_holds_takes_the_record_and_treats_it_further(): void
    {
        $treated = self::treater(self::treatment())->block("1\t0.5\t30\t0171\n2\t3.0\t30\t0172\n3\t3.0\t5\t0173\n4\t\\N\t\\N\t\\N\n");
        self::assertSame([0 => "1\t0.5\t30\t··71\t2\n", 1 => "2\t3.0\t30\t0172\n", Fork::OWN => "3\t3.0\t5\t0173\n4\t\\N\t\\N\t\\N\n"], $treated->landed);
        self::assertSame(4, $treated->landing());
    }

    #[Test]
    public function what_takes_no_fork_lands_is_dropped_or_is_set_aside_as_it_was_said(): void
    {
        $line = "3\t3.0\t5\t0173\n";
        $dropped = self::treater(self::treatment(['otherwise' => 'drop']))->block($line);
        self::assertSame([0, 1, [Fork::DROPPED => $line]], [$dropped->landing(), $dropped->dropped, $dropped->landed]);
        $apart = self::treater(self::treatment(['otherwise' => 'set_aside']))->block($line)->apart;
        self::assertCount(1, $apart);
        self::assertSame(['no_fork', 'It takes none of the forks: small (hectares < 1), steep (slope > 20).'], [$apart[0]->judging->decisive()?->reason, $apart[0]->judging->decisive()?->message]);
    }

    #[Test]
    public function what_fails_in_a_fork_is_set_aside_as_it_was_read(): void
    {
        $treater = self::treater(self::treatment());
        $treated = $treater->block("1\t0.5\t30\t0171\n2\t0\t30\t0172\n3\t0.25\t1\t\\N\n");
        self::assertSame("1\t0.5\t30\t··71\t2\n3\t0.25\t1\t\\N\t4\n", $treated->landed[0]);
        self::assertSame([['2', '0', '30', '0172'], 1, 'division_by_zero'], [$treated->apart[0]->row, $treated->apart[0]->number, $treated->apart[0]->judging->decisive()?->reason]);
        self::assertStringNotContainsString('0172', json_encode($treated->apart[0]->judging->atFailure(), JSON_THROW_ON_ERROR));
        $into = new Treated;
        self::assertNull($treater->row(['2', '0', '30', '0172'], $into));
        self::assertSame(['2', '0', '30', '0172'], $into->apart[0]->row);
        $judged = $treater->look(['2', '0', '30', '0172']);
        self::assertSame([0, Outcome::SetAside, false], [$judged->fork, $judged->outcome(), $treater->passes(['2', '0', '30', '0172'])]);
    }

    #[Test]
    public function a_condition_that_cannot_be_told_sets_the_record_aside_and_no_later_fork_takes_it(): void
    {
        $forks = [['name' => 'thin', 'when' => '1 / slope > 0.5', 'landed' => 'copy.thin'], ['name' => 'all', 'when' => 'true', 'landed' => 'copy.all']];
        $treated = self::treater(self::treatment(['forks' => $forks]))->block("1\t1\t0\tx\n2\t1\t4\tx\n");
        self::assertSame([1 => "2\t1\t4\tx\n"], $treated->landed);
        self::assertSame('Whether it takes the fork thin cannot be told, for it divides by zero.', $treated->apart[0]->judging->decisive()?->message);
        // Nor is a row taken of which the log does not say every value: the rest of it may stand in another table.
        $into = new Treated;
        self::assertNull(self::treater(self::treatment(['forks' => $forks]))->row(['1', '1', '3', false], $into));
        self::assertSame('not_sent', $into->apart[0]->judging->decisive()?->reason);
    }

    #[Test]
    public function what_any_fork_masks_is_hidden_as_it_was_read(): void
    {
        self::assertTrue(self::treatment()->hides('phone'));
        self::assertFalse(self::treatment()->hides('slope'));
        $renamed = self::treatment(['columns' => [['from' => 'ha', 'as' => 'hectares'], ['from' => 'phone', 'as' => 'call']], 'forks' => [['when' => 'true', 'landed' => 'copy.all', 'columns' => [['from' => 'call', 'steps' => [['mask' => 'null']]]]]]]);
        self::assertTrue($renamed->hides('phone'));
    }

    #[Test]
    public function forks_come_back_from_what_is_written_down_of_them(): void
    {
        $treatment = self::treatment();
        self::assertEquals($treatment, Treatment::fromArray($treatment->toArray()));
        self::assertSame('steep', Fork::fromArray(['when' => 'a > 1', 'landed' => 'copy.steep'])->name);
    }

    /** @param  array<string, mixed>  $more */
    #[Test]
    #[DataProvider('wrong')]
    public function what_cannot_be_carried_out_is_refused(string $message, array $more, string $landing = 'upsert', string $capture = 'reload'): void
    {
        $this->expectExceptionMessage($message);
        $feed = ['name' => 'orchards', 'table' => 'farm.orchards', 'shape' => self::shape()->toArray(), 'capture' => $capture, 'key' => ['id'], 'landing' => $landing, 'landed' => 'copy.orchards'];
        FeedDefinition::fromArray($feed + ['treatment' => ($more + self::treatment()->toArray())]);
    }

    /** @return iterable<string, array{0: string, 1: array<string, mixed>, 2?: string, 3?: string}> */
    public static function wrong(): iterable
    {
        $fork = static fn (array $with): array => ['forks' => [$with + ['name' => 'steep', 'when' => 'slope > 20', 'landed' => 'copy.steep']]];
        yield 'no choice for the rest' => ['what becomes of a record that takes no fork', ['otherwise' => null]];
        yield 'an unknown column' => ['fork steep: There is no column "incline"', $fork(['when' => 'incline > 1'])];
        yield 'not a condition' => ['The condition of a fork is true or false, but this is a number', $fork(['when' => 'slope + 1'])];
        yield 'no condition' => ['the fork steep needs a condition', $fork(['when' => ' '])];
        yield 'the own table' => ["which is the feed's own table", $fork(['landed' => 'copy.orchards'])];
        yield 'no table' => ['a fork needs the table it lands in', $fork(['landed' => ''])];
        yield 'one table twice' => ['two forks land in copy.steep', ['forks' => [...$fork([])['forks'], ...$fork(['name' => 'other'])['forks']]]];
        yield 'one name twice' => ['two forks are called steep', ['forks' => [...$fork([])['forks'], ...$fork(['landed' => 'copy.other'])['forks']]]];
        yield 'a changed key' => ['the fork steep may rename it, but neither change nor drop it', $fork(['columns' => [['from' => 'id', 'steps' => [['convert' => 'text']]]]])];
        yield 'a mask of what is computed' => ['is computed on the feed\'s own sheet', ['columns' => [['as' => 'both', 'steps' => [['derive' => 'phone ~ slope']]]]] + $fork(['when' => 'true', 'columns' => [['from' => 'both', 'steps' => [['mask' => 'null']]]]])];
        yield 'a fault in its lines' => ['fork steep: share: ', $fork(['columns' => [['as' => 'share', 'steps' => [['derive' => 'nothing / 2']]]]])];
        yield 'a taken stamp' => ['"delivered_at" that the landing adds', $fork(['columns' => [['from' => 'slope', 'as' => 'delivered_at']]])];
        yield 'checks of its own' => ['a fork has no "checks"', $fork(['checks' => [['check' => 'required', 'columns' => ['id'], 'else' => 'drop']]])];
        yield 'versions' => ['where every version is kept', [], 'versions', 'log'];
    }

    #[Test]
    public function every_fork_has_its_own_table_with_its_own_columns(): void
    {
        $feed = FeedDefinition::fromArray(['name' => 'orchards', 'table' => 'farm.orchards', 'shape' => self::shape()->toArray(), 'capture' => 'reload', 'key' => ['id'], 'landing' => 'upsert', 'landed' => 'copy.orchards',
            'treatment' => self::treatment(['otherwise' => 'drop', 'forks' => [['name' => 'small', 'when' => 'hectares < 1', 'landed' => 'copy.small', 'columns' => [['from' => 'id', 'as' => 'small_id'], ['from' => 'slope', 'drop' => true]]]]])->toArray()]);
        $tables = $feed->landedTable()->tables();
        self::assertSame(['small'], array_keys($tables));
        self::assertSame([['small_id', 'hectares', 'phone'], ['small_id']], [$tables['small']->shape->names(), $tables['small']->key]);
        self::assertSame(['id', 'hectares', 'slope', 'phone'], $feed->landedTable()->shape->names());
    }

    #[Test]
    public function a_fork_is_named_by_what_stands_in_no_address(): void
    {
        $this->expectException(InvalidTreatment::class);
        Fork::fromArray(['name' => 'a/b', 'when' => 'true', 'landed' => 'copy.x']);
    }
}
