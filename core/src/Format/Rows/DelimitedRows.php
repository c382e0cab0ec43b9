<?php

declare(strict_types=1);

namespace Lighterman\Core\Format\Rows;

use Generator;
use Lighterman\Core\Format\CopyText;
use Lighterman\Core\Format\Delimited\Dialect;
use Lighterman\Core\Format\Delimited\Line;
use Lighterman\Core\Format\Delimited\Reader;
use Lighterman\Core\Shape\Type;
use Lighterman\Core\Shape\TypeKind;

/**
 * Rows of delimited text. Stretches of lines that one pattern shows to be well formed and of the right types are turned as a
 * whole; every other line is taken apart and looked at by itself.
 */
final class DelimitedRows implements FileRows
{
    private const BLOCK = 262_144;

    /** What the parts of a date become, in the order in which it is written. */
    private const ISO = ['dd.MM.yyyy' => '${1}${4}-${3}-${2}', 'dd/MM/yyyy' => '${1}${4}-${3}-${2}', 'MM/dd/yyyy' => '${1}${4}-${2}-${3}', 'yyyyMMdd' => '${1}${2}-${3}-${4}'];

    private Reader $reader;

    /** @var list<string> columns of the file, in its order */
    private array $names = [];

    /** @var list<ValueForm> by column of the file */
    private array $forms = [];

    /** @var list<int|null> */
    private array $places = [];

    private string $pattern = '';

    /**
     * @param  iterable<int, string>  $pieces  of the file
     * @param  array<string, string>  $dates  how dates are written, by column
     */
    public function __construct(private readonly iterable $pieces, private readonly Dialect $dialect, private readonly Frame $frame, private readonly array $dates = [])
    {
    }

    public function blocks(): Generator
    {
        $this->reader = new Reader($this->pieces, $this->dialect, $this->dialect->header ? null : count($this->frame->known));
        $this->names = $this->reader->header() ?? $this->frame->known;
        if ($this->names === []) {
            return;
        }
        $this->places = $this->frame->places($this->names);
        foreach ($this->names as $name) {
            $this->forms[] = new ValueForm($this->frame->carried->column($name)->type ?? Type::of(TypeKind::Text), $this->dialect->decimal, $this->dates[$name] ?? null);
        }
        $this->pattern = $this->pattern();
        $encoded = '';
        $bad = [];
        while (true) {
            $run = $this->reader->run($this->pattern);
            if ($run !== '') {
                $encoded .= $this->turned($run);
            } elseif (($line = $this->reader->next()) !== null) {
                $row = $this->looked($line);
                $row instanceof BadLine ? $bad[] = $row : $encoded .= $row;
            } else {
                break;
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

    /** Of whole lines in which every field is plain. */
    private function pattern(): string
    {
        $d = preg_quote($this->dialect->delimiter, '~');
        // With a decimal comma all commas of a stretch become points, so its texts must hold none.
        $never = '\\\\\t\n\r\0'.$d.($this->dialect->quote === null ? '' : preg_quote($this->dialect->quote, '~')).($this->turnsCommas() ? ',' : '');
        $null = preg_quote($this->dialect->null, '~');
        $fields = [];
        foreach ($this->forms as $form) {
            $plain = $form->plain($never);
            $quoted = $this->dialect->quote === null ? '' : '|'.preg_quote($this->dialect->quote, '~').$plain.preg_quote($this->dialect->quote, '~');
            $fields[] = $null === '' ? "(?:{$plain}{$quoted})?+" : "(?>{$null}(?=[{$d}\r\n])|(?!{$null}[{$d}\r\n]){$plain}".($quoted === '' ? '' : "|(?!.{$null}.[{$d}\r\n])".substr($quoted, 1)).')';
        }

        $pattern = '~(?>'.implode($d, $fields).'\r?+\n)++~A';

        // With hundreds of columns it may be too large to be compiled; then every line is looked at by itself.
        return @preg_match($pattern, '') === false ? '~(?!)~A' : $pattern;
    }

    private function turnsCommas(): bool
    {
        return $this->dialect->decimal === ',' && $this->dialect->delimiter !== ',';
    }

    /** A stretch of plain lines, encoded. */
    private function turned(string $run): string
    {
        $first = $this->reader->number() - substr_count($run, "\n") + 1;
        $run = str_contains($run, "\r") ? str_replace("\r", '', $run) : $run;
        $run = $this->dialect->quote !== null && str_contains($run, $this->dialect->quote) ? str_replace($this->dialect->quote, '', $run) : $run;
        $run = $this->dialect->delimiter === "\t" ? $run : strtr($run, $this->dialect->delimiter, "\t");
        $run = $this->turnsCommas() ? strtr($run, ',', '.') : $run;
        $null = $this->dialect->null;
        if ($null !== '' || str_contains($run, "\t\t") || str_contains($run, "\t\n") || str_contains($run, "\n\t") || str_contains($run, "\n\n") || $run[0] === "\t" || $run[0] === "\n") {
            $run = preg_replace('~(?<![^\t\n])'.preg_quote($null, '~').'(?=[\t\n])~', '\\N', $run);
        }
        foreach ($this->forms as $at => $form) {
            $run = $form->date === null ? $run : preg_replace('~^((?:[^\t\n]*+\t){'.$at.'})'.ValueForm::DATES[$form->date][1].'~m', self::ISO[$form->date], (string) $run);
        }
        $whole = $this->places === array_keys($this->names);
        if ($whole && ! $this->frame->numbered) {
            return $this->frame->tail === '' ? (string) $run : str_replace("\n", "{$this->frame->tail}\n", (string) $run);
        }
        $lines = explode("\n", (string) $run);
        array_pop($lines);
        $encoded = '';
        $tail = $this->frame->tail.($this->frame->numbered ? "\t" : '');
        foreach ($lines as $n => $line) {
            $encoded .= ($whole ? $line : $this->picked(explode("\t", $line))).$tail.($this->frame->numbered ? $first + $n : '')."\n";
        }

        return $encoded;
    }

    /** @param  list<string>  $fields  encoded */
    private function picked(array $fields): string
    {
        return implode("\t", array_map(static fn (?int $at): string => $at === null ? '\\N' : $fields[$at], $this->places));
    }

    /** One line, encoded, or what is wrong with it. */
    private function looked(Line $line): string|BadLine
    {
        if ($line->fault !== null) {
            $reason = $line->fields === [] ? 'malformed' : 'wrong_width';

            return new BadLine($line->number, $reason, $line->fault, $this->frame->row($this->inOrder($line->fields), $line->number), $line->text);
        }
        $row = $faults = [];
        foreach ($line->fields as $at => $field) {
            $value = $field === null ? null : $this->forms[$at]->value($field);
            if ($field !== null && ! mb_check_encoding($field, 'UTF-8')) {
                $faults[] = [$this->names[$at].' is not valid UTF-8', 'invalid_utf8'];
            } elseif ($value === false) {
                $faults[] = [$this->forms[$at]->fault($this->names[$at]), 'wrong_type'];
            }
            // What does not fit is kept as it stands.
            $row[] = $value === false ? $field : $value;
        }
        if ($faults !== []) {
            return new BadLine($line->number, $faults[0][1], implode('; ', array_column($faults, 0)), $this->frame->row($this->inOrder($row), $line->number), implode($this->dialect->delimiter, array_map(strval(...), $line->fields)));
        }

        return CopyText::fields($this->inOrder($row)).$this->frame->behind($line->number);
    }

    /**
     * @param  list<string|null>  $fields  in the order of the file
     * @return list<string|null> in that of the carried columns
     */
    private function inOrder(array $fields): array
    {
        return array_map(static fn (?int $at): ?string => $at === null ? null : $fields[$at] ?? null, $this->places);
    }
}
