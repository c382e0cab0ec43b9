<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Tests;

use Lighterman\Connectors\Postgres\Triggers\RecordText;
use PHPUnit\Framework\Attributes\Test;

/** Row values as the server itself writes them. */
final class RecordTextTest extends PostgresCase
{
    #[Test]
    public function whatever_text_a_row_holds_comes_back_as_it_was(): void
    {
        mt_srand(7);
        $pieces = ['a', '"', '\\', ',', '(', ')', ' ', "\n", "\t", '{}', "\u{2603}", '1.50', 't'];
        for ($case = 0; $case < 300; $case++) {
            $row = [];
            for ($field = 0, $fields = mt_rand(1, 6); $field < $fields; $field++) {
                $value = mt_rand(0, 4) === 0 ? null : '';
                for ($piece = mt_rand(0, 5); $value !== null && $piece > 0; $piece--) {
                    $value .= $pieces[array_rand($pieces)];
                }
                $row[] = $value;
            }
            $written = (string) $this->gate->value('SELECT ROW('.implode(', ', array_map(static fn (int $n): string => "\${$n}::text", range(1, count($row)))).')::text', $row);
            self::assertSame($row, RecordText::fields($written), $written);
        }
    }

    #[Test]
    public function a_very_long_value_is_read_whole(): void
    {
        $long = str_repeat('pear "and" apple, ', 400_000);
        self::assertSame(['1', $long, null], RecordText::fields((string) $this->gate->value('SELECT ROW(1, $1::text, NULL)::text', [$long])));
    }
}
