<?php

declare(strict_types=1);

namespace Lighterman\Core\Tests\Treatment;

use Lighterman\Core\Treatment\Value\Fault;
use Lighterman\Core\Treatment\Value\Limits;
use Lighterman\Core\Treatment\Value\Text;
use PHPUnit\Framework\Attributes\DataProvider;
use PHPUnit\Framework\Attributes\Test;
use PHPUnit\Framework\TestCase;
use Random\Engine\Mt19937;
use Random\Randomizer;

/** Functions over text, by characters and not by bytes. */
final class TextTest extends TestCase
{
    /** @return iterable<string, array{string, list<string|null>, string|null}> */
    public static function calls(): iterable
    {
        $nbsp = "\u{A0}";
        foreach ([
            ['trim', ["  voilà\n"], 'voilà'], ['trim', ['à'], 'à'], ['trim', ["{$nbsp}\0 à {$nbsp}\t"], 'à'], ['trim', ["a{$nbsp}b"], "a{$nbsp}b"], ['trim', [$nbsp], ''], ['trim', [null], null],
            ['tidy', ["  two {$nbsp}\n words "], 'two words'], ['tidy', ["\u{2003}a"], 'a'], ['tidy', [null], null],
            ['upper', ['straße é'], 'STRASSE É'], ['lower', ['ÉÀ'], 'éà'], ['upper', [null], null], ['lower', [null], null],
            ['left', ['éàü', '2'], 'éà'], ['left', ['éàü', '0'], ''], ['left', ['éàü', '-1'], ''], ['left', ['éàü', '9'], 'éàü'], ['left', ['a', null], null],
            ['right', ['éàü', '2'], 'àü'], ['right', ['éàü', '0'], ''], ['right', ['éàü', '99'], 'éàü'], ['right', [null, '1'], null],
            ['part', ['Kingston Black', '10', '5'], 'Black'], ['part', ['éàü', '2', '1'], 'à'], ['part', ['abc', '9', '2'], ''], ['part', ['abc', '1.0', '2'], 'ab'], ['part', ['abc', '1', null], null],
            ['length', ['🍎é'], '2'], ['length', [''], '0'], ['length', [null], null],
            ['replace', ['a-b-c', '-', '+'], 'a+b+c'], ['replace', ['abc', '', 'x'], 'abc'], ['replace', ['abc', 'b', null], null],
            ['padLeft', ['7', '3', '0'], '007'], ['padLeft', ['é', '4', 'àü'], 'àüàé'], ['padLeft', ['1234', '3', '0'], '1234'], ['padLeft', ['7', '3', ''], '7'], ['padRight', ['é', '3', '·'], 'é··'], ['padRight', ['7', null, '0'], null],
            ['piece', ['a/b/c', '/', '2'], 'b'], ['piece', ['a/b/c', '/', '4'], null], ['piece', ['a/b', '/', '0'], null], ['piece', ['a/b', '', '3'], 'a/b'], ['piece', [null, '/', '1'], null],
            ['join', ['a', '', 'b'], 'ab'], ['join', ['a', null], null],
        ] as $i => [$function, $given, $wanted]) {
            yield "{$i}: {$function}(".implode(', ', array_map(static fn (?string $g): string => json_encode($g, JSON_THROW_ON_ERROR), $given)).')' => [$function, $given, $wanted];
        }
    }

    /** @param  list<string|null>  $given */
    #[Test]
    #[DataProvider('calls')]
    public function it_gives(string $function, array $given, ?string $wanted): void
    {
        self::assertSame($wanted, Text::$function(...$given));
    }

    #[Test]
    public function whatever_characters_stand_at_its_ends_text_stays_whole(): void
    {
        $random = new Randomizer(new Mt19937($seed = random_int(1, PHP_INT_MAX)));
        for ($n = 0; $n < 3000; $n++) {
            // Among them all whose last byte is that of a space.
            $text = mb_chr($random->getInt(0x21, 0x7FF)).'x'.mb_chr($random->getInt(1, 20) * 0x40 + 0x20 + 0x100);
            foreach (['trim', 'tidy'] as $function) {
                $is = (string) Text::$function(" {$text}\n");
                self::assertTrue(mb_check_encoding($is, 'UTF-8'), "{$function} seed {$seed}: ".bin2hex($text));
                self::assertSame($is, Text::$function($is), 'once is enough');
                self::assertStringContainsString($is, $text);
            }
        }
    }

    #[Test]
    public function comparisons_say_nothing_of_nulls(): void
    {
        self::assertSame([true, false, null], [Text::contains('voilà', 'à'), Text::contains('a', 'à'), Text::contains(null, 'a')]);
        self::assertSame([true, false, null], [Text::startsWith('à la', 'à'), Text::startsWith('a', 'à'), Text::startsWith('a', null)]);
        self::assertSame([true, false, null], [Text::endsWith('voilà', 'là'), Text::endsWith('a', 'b'), Text::endsWith(null, null)]);
        self::assertSame([-1, 0, 1, null], [Text::compare('Z', 'a'), Text::compare('é', 'é'), Text::compare('é', 'z'), Text::compare(null, 'a')]);
    }

    /** @return iterable<string, array{callable(): mixed, string}> */
    public static function refused(): iterable
    {
        $long = str_repeat('x', intdiv(Limits::TEXT, 2) + 1);
        yield 'half a character' => [static fn () => Text::tidy("\xC3"), 'invalid_utf8'];
        yield 'half a character before a space' => [static fn () => Text::trim("\xC3\u{A0}\u{A0}"), 'invalid_utf8'];
        yield 'a broken number of characters' => [static fn () => Text::left('abc', '1.5'), 'out_of_range'];
        yield 'a number that is none' => [static fn () => Text::piece('a', ',', 'two'), 'out_of_range'];
        yield 'joined too long' => [static fn () => Text::join($long, $long), 'too_long'];
        yield 'padded too long' => [static fn () => Text::padLeft('a', '99999999', '🍎'), 'too_long'];
        yield 'replaced too long' => [static fn () => Text::replace($long, 'x', 'xyz'), 'too_long'];
    }

    /** @param  callable(): mixed  $do */
    #[Test]
    #[DataProvider('refused')]
    public function what_cannot_be_done_is_a_fault_of_the_value(callable $do, string $reason): void
    {
        try {
            $do();
            self::fail('It was done.');
        } catch (Fault $fault) {
            self::assertSame($reason, $fault->reason);
        }
    }
}
