<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Lake;

use Lighterman\Connectors\Engine\Engine;
use Lighterman\Connectors\Engine\TypeMap;
use Lighterman\Core\Format\CopyText;
use Lighterman\Core\Shape\Column;
use Lighterman\Core\Trouble\FileTrouble;
use Lighterman\Core\Trouble\PrivilegeTrouble;

/** Rows on their way into the lake: a file of delimited text that the engine can read. */
final class Stage
{
    /** Longest line the engine takes unless it is told otherwise, bytes. */
    private const LINE = 2_000_000;

    public int $rows = 0;

    public int $bytes = 0;

    private int $longest = self::LINE;

    /** @var resource|null */
    private $file = null;

    /** @param  list<Column>  $columns */
    public function __construct(public readonly string $path, private readonly array $columns)
    {
    }

    /** @param  string  $encoded  lines in the text form of COPY */
    public function add(string $encoded): void
    {
        if ($encoded === '') {
            return;
        }
        $rows = substr_count($encoded, "\n");
        $lines = strlen($encoded) > self::LINE ? $this->measured($encoded) : $encoded;
        // Where nothing is escaped but nulls, and nothing quoted, both forms are the same.
        $lines = substr_count($lines, '\\') === substr_count($lines, '\\N') && ! str_contains($lines, '"') ? $lines : self::quoted($lines);
        $this->file ??= @fopen($this->path, 'wb') ?: throw PrivilegeTrouble::toWrite($this->path);
        if (@fwrite($this->file, $lines) !== strlen($lines)) {
            throw FileTrouble::full($this->path);
        }
        $this->rows += $rows;
        $this->bytes += strlen($lines);
    }

    /** Notes the longest line. */
    private function measured(string $encoded): string
    {
        for ($at = 0, $length = strlen($encoded); $at < $length; $at = $end + 1) {
            $end = (int) strpos($encoded, "\n", $at);
            // Quotes may double a line.
            $this->longest = max($this->longest, 2 * ($end - $at + 1));
        }

        return $encoded;
    }

    /** Lines with what would be misread put into quotes. */
    private static function quoted(string $encoded): string
    {
        $lines = '';
        foreach (explode("\n", substr($encoded, 0, -1)) as $line) {
            if (strpbrk($line, '\\"') !== false) {
                $fields = [];
                foreach (explode("\t", $line) as $field) {
                    $value = $field === '\\N' ? null : CopyText::value($field);
                    $fields[] = match (true) {
                        $value === null => '\\N',
                        $value === '\\N', strpbrk($value, "\"\t\n\r") !== false => '"'.str_replace('"', '""', $value).'"',
                        default => $value,
                    };
                }
                $line = implode("\t", $fields);
            }
            $lines .= $line."\n";
        }

        return $lines;
    }

    /** What the engine reads the rows from, as text, under the names of the columns. */
    private function source(): string
    {
        if ($this->file !== null) {
            fflush($this->file);
        }
        $columns = implode(', ', array_map(static fn (Column $c): string => Engine::literal($c->name).": 'VARCHAR'", $this->columns));

        return 'read_csv('.Engine::literal($this->path).", delim = '\t', quote = '\"', escape = '\"', header = false, nullstr = '\\N', allow_quoted_nulls = false, auto_detect = false, "
            ."new_line = '\\n', max_line_size = {$this->longest}, buffer_size = ".(4 * $this->longest).", columns = {{$columns}})";
    }

    /** The rows with their values in the types that land. */
    public function select(): string
    {
        if ($this->rows === 0) {
            return 'SELECT '.implode(', ', array_map(static fn (Column $c): string => 'NULL::'.TypeMap::write($c->type).' AS '.Engine::name($c->name), $this->columns)).' WHERE false';
        }

        return 'SELECT '.implode(', ', array_map(static fn (Column $c): string => TypeMap::read($c->name, $c->type).' AS '.Engine::name($c->name), $this->columns))." FROM {$this->source()}";
    }

    public function clear(): void
    {
        if ($this->file !== null) {
            fclose($this->file);
            $this->file = null;
            @unlink($this->path);
        }
        $this->rows = $this->bytes = 0;
        $this->longest = self::LINE;
    }
}
