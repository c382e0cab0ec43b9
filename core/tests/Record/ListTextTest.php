<?php

declare(strict_types=1);

namespace Lighterman\Core\Tests\Record;

use Lighterman\Core\Format\Avro\Writer as AvroWriter;
use Lighterman\Core\Format\JsonLines\Writer as JsonWriter;
use Lighterman\Core\Format\Rows\ValueForm;
use Lighterman\Core\Format\UnfitValue;
use Lighterman\Core\Record\ListText;
use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Shape\Type;
use Lighterman\Core\Shape\TypeKind;
use PHPUnit\Framework\Attributes\Test;
use PHPUnit\Framework\TestCase;

final class ListTextTest extends TestCase
{
    private static function list(TypeKind $of): Type
    {
        return Type::listOf(Type::of($of));
    }

    #[Test]
    public function elements_are_read_and_written_as_the_server_does(): void
    {
        $elements = ['plain', 'a,b', 'q"x', 'back\\slash', null, '', 'NULL', 'null', ' around ', "new\nline", '{braced}', "it's", 'äpfel'];
        $text = '{plain,"a,b","q\\"x","back\\\\slash",NULL,"","NULL","null"," around ","new'."\n".'line","{braced}",it\'s,äpfel}';
        self::assertSame($text, ListText::of($elements));
        self::assertSame($elements, ListText::elements($text));
        self::assertSame([], ListText::elements('{}'));
        self::assertSame('{}', ListText::of([]));
        self::assertSame(['{1,2}', '{3,4}'], ListText::elements('{{1,2},{3,4}}'));
        self::assertSame(['1', '2'], ListText::elements('[2:3]={1,2}'));
        foreach (['', '1', '{1', '[1,2]'] as $none) {
            self::assertNull(ListText::elements($none), $none);
        }
        self::assertSame([true, true, false, false, false], array_map(ListText::isMore(...), ['{{1}}', '[0:0]={1}', '{"{x"}', '{}', '']));
    }

    #[Test]
    public function files_hold_them_as_lists_and_give_them_back(): void
    {
        $shape = new Shape([new Column('loads', self::list(TypeKind::Int32)), new Column('words', self::list(TypeKind::Text)), new Column('sums', Type::listOf(Type::decimal(20, 2))), new Column('oid', Type::native('oid'))]);
        $row = ['{1,NULL}', '{"a \\"b\\"",NULL}', '{123456789012345678.90}', '4294967295'];
        $line = (new JsonWriter($shape))->row($row);
        self::assertSame('{"loads":[1,null],"words":["a \\"b\\"",null],"sums":["123456789012345678.90"],"oid":4294967295}'."\n", $line);
        foreach (array_slice(array_keys($row), 0, 3) as $i) {
            $form = new ValueForm($shape->columns[$i]->type);
            self::assertSame($row[$i], $form->value((string) json_encode(json_decode($line, true)[$shape->columns[$i]->name])));
            self::assertSame($row[$i], $form->value($row[$i]));
        }
        self::assertFalse((new ValueForm(self::list(TypeKind::Int32)))->value('["x"]'));
        self::assertFalse((new ValueForm(self::list(TypeKind::Int32)))->value('x'));
        $this->expectException(UnfitValue::class);
        (new AvroWriter($shape, 'loads', str_repeat('s', 16)))->row(['1', null, null, null]);
    }
}
