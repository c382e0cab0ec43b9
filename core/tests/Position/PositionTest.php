<?php

declare(strict_types=1);

namespace Lighterman\Core\Tests\Position;

use Lighterman\Core\Position\Position;
use PHPUnit\Framework\Attributes\Test;
use PHPUnit\Framework\TestCase;

final class PositionTest extends TestCase
{
    #[Test]
    public function changes_that_land_before_a_load_has_begun_do_not_end_it(): void
    {
        self::assertEquals(Position::logLoading('0/10', null), Position::start()->at('0/10'));
        self::assertEquals(Position::logLoading('0/10', ['7']), Position::logLoading('0/8', ['7'])->at('0/10'));
        self::assertEquals(Position::log('0/10'), Position::log('0/8')->at('0/10'));
    }
}
