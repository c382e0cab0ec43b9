<?php

declare(strict_types=1);

namespace Lighterman\Core\Record;

use Generator;
use Lighterman\Core\Format\CopyText;
use Lighterman\Core\Shape\Shape;

/**
 * Rows of one shape with the positions they lead from and to.
 *
 * Rows stay encoded (the text form of COPY) until something needs to look at one: most feeds carry most columns
 * untouched, and a batch that nobody opens costs no memory per row. A newline in the encoded text always ends a row,
 * since newlines inside values are escaped.
 */
final readonly class Batch
{
    public int $rows;

    /**
     * @param  string  $encoded  whole lines only, each ending in a newline
     * @param  Stretch  $stretch  of the source, whose rows these are
     * @param  int  $dropped  records dropped on the way, which are not among the rows
     * @param  int  $setAside  records set aside on the way, which are not among the rows
     * @param  array<string, string>  $forked  rows that land in further tables, encoded in the same way, by the name of their fork
     * @param  list<Unreadable>  $unreadable  what was read and is no row; not counted among those set aside until it is written down
     * @param  string  $gone  keys, encoded in the same way, of rows that are read and land nowhere any more; where elements of lists are kept by key,
     *                        of the last element of each list that was read, after which those it has lost leave
     */
    public function __construct(
        public Shape $shape,
        public string $encoded,
        public Stretch $stretch,
        public int $dropped = 0,
        public int $setAside = 0,
        public array $forked = [],
        public string $gone = '',
        public array $unreadable = [],
    ) {
        $this->rows = array_sum(array_map(static fn (string $lines): int => substr_count($lines, "\n"), $this->parts()));
    }

    /**
     * The same stretch of the source as it is after treatment, and after what could not be read was set aside.
     *
     * @param  array<string, string>  $forked
     */
    public function treated(Shape $shape, string $encoded, int $dropped, int $setAside, array $forked = [], string $gone = ''): self
    {
        return new self($shape, $encoded, $this->stretch, $dropped, $setAside + count($this->unreadable), $forked, $gone);
    }

    /** @return array<string, string> the rows by the fork they take, an empty name for none */
    public function parts(): array
    {
        return ['' => $this->encoded] + $this->forked;
    }

    /**
     * Lines of it with the technical columns at the end of each.
     *
     * @param  array<string, string>  $stamps  stamped column by what it holds
     * @param  string  $now  the target's clock
     */
    public function stamped(string $lines, array $stamps, string $now): string
    {
        if ($stamps === []) {
            return $lines;
        }
        $values = ['delivered_at' => CopyText::field($now), 'source_position' => CopyText::field((string) $this->stretch->to)];
        $tail = implode("\t", array_map(static fn (string $stamp): string => $values[$stamp], array_keys($stamps)));

        return str_replace("\n", "\t{$tail}\n", $lines);
    }

    public function bytes(): int
    {
        return array_sum(array_map(strlen(...), $this->parts()));
    }

    /** 128-bit hash of the rows as they were read, in hexadecimal. */
    public function checksum(): string
    {
        return hash('xxh128', $this->encoded);
    }

    /** @return Generator<int, list<string|null>> */
    public function decoded(): Generator
    {
        for ($at = 0, $length = strlen($this->encoded); $at < $length; $at = $end + 1) {
            $end = (int) strpos($this->encoded, "\n", $at);
            yield CopyText::row(substr($this->encoded, $at, $end - $at));
        }
    }
}
