<?php

declare(strict_types=1);

namespace Lighterman\Core\Format\Rows;

use Generator;
use Lighterman\Core\Format\CopyText;
use Lighterman\Core\Shape\Shape;

/** Rows of a file that knows the types of its columns itself. */
final readonly class TypedRows implements FileRows
{
    private const BLOCK = 262_144;

    /**
     * @param  Shape  $shape  of the file
     * @param  iterable<mixed, array<array-key, string|null>>  $rows  in the order of its columns
     */
    public function __construct(private Shape $shape, private iterable $rows, private Frame $frame)
    {
    }

    public function blocks(): Generator
    {
        $places = $this->frame->places($this->shape->names());
        // Only where the file's type may hold what the feed's does not, values have to be looked at.
        $forms = [];
        foreach ($this->frame->carried->columns as $i => $column) {
            if ($places[$i] !== null && ! $column->type->holds($this->shape->columns[$places[$i]]->type)) {
                $forms[$i] = new ValueForm($column->type);
            }
        }
        $names = $this->frame->carried->names();
        $encoded = '';
        $bad = [];
        $number = 0;
        foreach ($this->rows as $values) {
            $values = array_values($values);
            $number++;
            $row = array_map(static fn (?int $at): ?string => $at === null ? null : $values[$at], $places);
            $faults = [];
            foreach ($forms as $i => $form) {
                $value = $row[$i] === null ? null : $form->value($row[$i]);
                $faults = $value === false ? [...$faults, $form->fault($names[$i])] : $faults;
                $row[$i] = $value === false ? $row[$i] : $value;
            }
            if ($faults === []) {
                $encoded .= CopyText::fields($row).$this->frame->behind($number);
            } else {
                $bad[] = new BadLine($number, 'wrong_type', implode('; ', $faults), $this->frame->row($row, $number), '');
            }
            if (strlen($encoded) >= self::BLOCK || count($bad) >= 1000) {
                yield new Block($encoded, $bad);
                $encoded = '';
                $bad = [];
            }
        }
        if ($encoded !== '' || $bad !== []) {
            yield new Block($encoded, $bad);
        }
    }
}
