<?php

declare(strict_types=1);

namespace Lighterman\Core\Format\Rows;

use Lighterman\Core\Format\CopyText;
use Lighterman\Core\Shape\Shape;

/** What becomes of a file's columns in the rows of a feed: which are carried, in which order, and what stands behind them. */
final readonly class Frame
{
    /** Values that every row of the file has behind its own, encoded, each with a tab before it. */
    public string $tail;

    /** How many values stand behind those of the file, its line among them. */
    private int $behind;

    /**
     * @param  Shape  $carried  columns of the file that are carried, in order
     * @param  list<string>  $known  columns of the file that the feed knows, carried or left out
     * @param  bool  $fit  whether other columns are left out and lacking ones null
     * @param  list<string|null>  $constant  values that every row of the file has behind its own
     * @param  bool  $numbered  whether the number of the line follows them
     */
    public function __construct(public Shape $carried, public array $known, public bool $fit, array $constant, public bool $numbered)
    {
        $this->tail = implode('', array_map(static fn (?string $v): string => "\t".CopyText::field($v), $constant));
        $this->behind = count($constant) + (int) $numbered;
    }

    /**
     * Where the carried columns stand in a file.
     *
     * @param  list<string>  $names  of the file's columns
     * @return list<int|null> by carried column; null where the file has none
     *
     * @throws OtherShape
     */
    public function places(array $names): array
    {
        $lacking = array_values(array_diff($this->known, $names));
        $besides = array_values(array_diff($names, $this->known));
        if (! $this->fit && ($lacking !== [] || $besides !== [])) {
            throw OtherShape::of($lacking, $besides);
        }
        $at = array_flip($names);

        return array_map(static fn (string $c): ?int => $at[$c] ?? null, $this->carried->names());
    }

    /** What stands behind the file's own values in the row of a line, encoded. */
    public function behind(int $number): string
    {
        return $this->numbered ? "{$this->tail}\t{$number}\n" : "{$this->tail}\n";
    }

    /**
     * A row of a line that could not be read, as far as its values are known.
     *
     * @param  list<string|null>  $values  in the order of the carried columns
     * @return list<string|null>
     */
    public function row(array $values, int $number): array
    {
        $own = array_slice(array_pad($values, count($this->carried->columns), null), 0, count($this->carried->columns));

        return $this->behind === 0 ? $own : [...$own, ...array_slice(CopyText::row($this->behind($number)), 1)];
    }
}
