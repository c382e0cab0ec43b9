<?php

declare(strict_types=1);

namespace Lighterman\Core\Tests\Port;

use Lighterman\Core\Port\Finding;
use Lighterman\Core\Port\Preparation;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Trouble\LandedTrouble;
use Lighterman\Core\Trouble\Reason;
use PHPUnit\Framework\Attributes\Test;
use PHPUnit\Framework\TestCase;

final class PreparationTest extends TestCase
{
    #[Test]
    public function all_that_stands_in_the_way_is_said_at_once_and_what_helps_twice_is_said_once(): void
    {
        $own = new Preparation(true, [], [Finding::passed('id', 'id is int32.'), Finding::failed('peel', 'gate.pears has no column peel.', 'ALTER TABLE gate.pears ADD COLUMN peel text;'), Finding::failed('kg', 'house lacks INSERT.', 'GRANT INSERT ON gate TO house;')]);
        $fork = new Preparation(true, [], [Finding::failed('peel', 'gate.perry has no column peel.', 'ALTER TABLE gate.perry ADD COLUMN peel text;'), Finding::failed('kg', 'house lacks INSERT on it.', 'GRANT INSERT ON gate TO house;')]);
        (new Preparation(false, ['CREATE …'], [Finding::passed('Privilege', 'It may be made.')]))->demandClear('house', new TableName('gate', 'pears'));
        try {
            Preparation::together(['' => $own, 'perry' => $fork])->demandClear(null, new TableName('gate', 'pears'), 'Run this on house, then agree again: ');
            self::fail('Nothing stood in the way.');
        } catch (LandedTrouble $trouble) {
            self::assertSame([Reason::IncompatibleTable, 'gate.pears'], [$trouble->reason, $trouble->table]);
            self::assertSame('gate.pears has no column peel. house lacks INSERT. gate.perry has no column peel. house lacks INSERT on it.', $trouble->getMessage());
            self::assertSame('Run this on house, then agree again: ALTER TABLE gate.pears ADD COLUMN peel text; GRANT INSERT ON gate TO house; ALTER TABLE gate.perry ADD COLUMN peel text;', $trouble->remedy()->said);
        }
    }
}
