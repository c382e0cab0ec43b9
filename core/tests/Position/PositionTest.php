<?php

declare(strict_types=1);

namespace Lighterman\Core\Tests\Position;

use Lighterman\Core\Position\StartPosition;
use Lighterman\Core\Position\StreamPosition;
use PHPUnit\Framework\Attributes\Test;
use PHPUnit\Framework\TestCase;

final class PositionTest extends TestCase
{
    #[Test]
    public function changes_that_land_before_a_load_has_begun_do_not_end_it(): void
    {
        self::assertEquals(StreamPosition::loading('0/10', null), StreamPosition::after(new StartPosition, '0/10'));
        self::assertEquals(StreamPosition::loading('0/10', ['7']), StreamPosition::after(StreamPosition::loading('0/8', ['7']), '0/10'));
        self::assertEquals(StreamPosition::at('0/10'), StreamPosition::after(StreamPosition::at('0/8'), '0/10'));
    }
}
