<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment;

use Lighterman\Core\Record\ListText;
use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Shape\Type;
use Lighterman\Core\Shape\TypeKind;
use Lighterman\Core\Treatment\Value\Fault;
use Lighterman\Core\Treatment\Value\Nested;

/** Makes a record of every element of a list: JSON, or an array in PostgreSQL's text form. */
final readonly class Explode
{
    /** Elements of one list; a longer one fails its record. */
    private const MOST = 10_000;

    /** @param  string  $number  name of the column that tells an element's place in its list, from 1 */
    public function __construct(public string $column, public string $number)
    {
        if ($column === '' || $number === '' || $column === $number) {
            throw InvalidTreatment::of('Exploding a list needs the column that holds it, and another name for the place in the list.');
        }
    }

    /**
     * The columns of the records it makes: the list's own holds an element.
     *
     * @throws InvalidTreatment
     */
    public function read(Shape $carried): Shape
    {
        $list = $carried->column($this->column) ?? throw InvalidTreatment::of("The source has no column \"{$this->column}\", whose elements are to become rows.");
        if ($carried->column($this->number) !== null) {
            throw InvalidTreatment::of("The source has a column \"{$this->number}\" already; name the place in the list otherwise.");
        }
        $element = $list->type->element ?? match (true) {
            $list->type->kind->isText(), in_array($list->type->kind, [TypeKind::Json, TypeKind::JsonBinary], true) => Type::of(TypeKind::Text),
            default => throw InvalidTreatment::of("{$this->column} is {$list->type}, which holds no list."),
        };

        return new Shape([
            ...array_map(fn (Column $c): Column => $c->name === $this->column ? new Column($c->name, $element, true, $c->comment) : $c, $carried->columns),
            new Column($this->number, Type::of(TypeKind::Int32)),
        ], $carried->key);
    }

    /**
     * @param  list<string|false|null>  $row  as carried
     * @return list<list<string|false|null>> one row with no element, at place 0, where the list has none
     *
     * @throws Fault
     */
    public function rows(array $row, Shape $carried): array
    {
        $at = (int) array_search($this->column, $carried->names(), true);
        $list = is_string($row[$at]) ? $row[$at] : null;
        $elements = match (true) {
            $list === null => [],
            $carried->columns[$at]->type->kind === TypeKind::List => ListText::elements($list) ?? throw Fault::because('not_a_list', 'the value is not an array'),
            default => Nested::elements($list),
        };
        if (count($elements) > self::MOST) {
            throw Fault::because('too_many', 'the list has more than '.number_format(self::MOST).' elements');
        }
        $rows = [];
        foreach ($elements as $n => $element) {
            $row[$at] = $element;
            $rows[] = [...$row, (string) ($n + 1)];
        }
        $row[$at] = null;

        return $rows ?: [[...$row, '0']];
    }

    public function sentence(): string
    {
        return "a record for each element of {$this->column}, numbered by {$this->number}";
    }

    /** @return array{column: string, number: string} */
    public function toArray(): array
    {
        return ['column' => $this->column, 'number' => $this->number];
    }

    /** @throws InvalidTreatment */
    public static function fromArray(mixed $data): ?self
    {
        return is_array($data) && $data !== [] ? new self((string) ($data['column'] ?? ''), (string) ($data['number'] ?? '')) : null;
    }
}
