<?php

declare(strict_types=1);

namespace Lighterman\Core\Tests\Treatment;

use Lighterman\Core\Treatment\Value\JsonText;
use Lighterman\Core\Treatment\Value\Nested;
use PHPUnit\Framework\Attributes\Test;
use PHPUnit\Framework\TestCase;

final class JsonTextTest extends TestCase
{
    #[Test]
    public function what_is_taken_out_is_as_it_was_written(): void
    {
        $json = " {\"a\" : {}, \"l\":[ ], \"n\":123456789012345678901234567890.10, \"o\": {\"0\":1,\"1\": 2.50}, \"q\\\"x]\": [\"}\\\"\", {\"z\":[1e2]}], \"\":null, \"t\":true}\n";
        foreach (['a' => '{}', 'l' => '[ ]', 'o' => '{"0":1,"1": 2.50}', 'o.1' => '2.50', 'q"x]' => '["}\"", {"z":[1e2]}]', 'q"x].1' => '{"z":[1e2]}', 'q"x].1.z.0' => '1e2', 'n' => '123456789012345678901234567890.10', '' => 'null', 'none' => null, 'a.b' => null, 't.x' => null, 'l.0' => null] as $path => $wanted) {
            self::assertSame($wanted, (new JsonText($json))->at((string) $path), (string) $path);
        }
        self::assertSame('{"a":{},"n":123456789012345678901234567890.10,"q\"x]":["}\"", {"z":[1e2]}],"t":true}', Nested::rest($json, ['l', 'o', '']));
        self::assertSame('{}', Nested::rest('{"a":1}', ['a']));
        self::assertSame(' [1, 2.0] ', Nested::rest(' [1, 2.0] ', ['a']));
        self::assertSame('{"b": 2}', (new JsonText('{"a":1,"a":{"b": 2}}'))->at('a'), 'of a name that comes twice the last counts');
        self::assertSame(['{"x":1.0}', '[ ]', '7', 't', null], Nested::elements('[{"x":1.0},[ ] ,7,true,null]'));
    }

    #[Test]
    public function parts_of_random_values_are_those_that_a_decoder_finds(): void
    {
        mt_srand($seed = random_int(1, PHP_INT_MAX >> 32));
        for ($n = 0; $n < 400; $n++) {
            $value = self::random(4);
            $json = (string) json_encode($value, [0, JSON_PRETTY_PRINT, JSON_UNESCAPED_UNICODE | JSON_UNESCAPED_SLASHES][$n % 3]);
            if (is_array($value)) {
                foreach ($value as $name => $part) {
                    if (! str_contains((string) $name, '.')) {
                        self::assertSame($part, json_decode((string) (new JsonText($json))->at((string) $name), true), "seed {$seed}: {$name} of {$json}");
                    }
                }
                $except = array_slice(array_map(strval(...), array_keys($value)), 0, 2);
                if (! array_is_list($value)) {
                    self::assertSame(array_diff_key($value, array_flip($except)), json_decode((string) Nested::rest($json, $except), true), "seed {$seed}: {$json}");
                }
            }
        }
    }

    private static function random(int $depth): mixed
    {
        $text = static fn (): string => implode('', array_map(static fn (): string => ['"', '\\', '}', ']', '{', 'ä', ',', ':', "\n", 'a', ' ', '💧'][mt_rand(0, 11)], range(0, mt_rand(0, 6))));
        if ($depth === 0 || mt_rand(0, 3) === 0) {
            return [null, true, false, mt_rand(-5, 5), 1.5, $text(), ''][mt_rand(0, 6)];
        }
        $parts = [];
        for ($i = mt_rand(0, 4), $list = mt_rand(0, 1) === 1; $i > 0; $i--) {
            $list ? $parts[] = self::random($depth - 1) : $parts['k'.$text()] = self::random($depth - 1);
        }

        return $parts;
    }
}
