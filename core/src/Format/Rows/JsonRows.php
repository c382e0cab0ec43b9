<?php

declare(strict_types=1);

namespace Lighterman\Core\Format\Rows;

use Generator;
use Lighterman\Core\Format\CopyText;
use Lighterman\Core\Format\JsonLines\Reader;
use Lighterman\Core\Shape\Column;

/** Rows of JSON Lines. An object that lacks a name has null there. */
final readonly class JsonRows implements FileRows
{
    private const BLOCK = 262_144;

    /** @param  iterable<int, string>  $pieces  of the file */
    public function __construct(private iterable $pieces, private Frame $frame)
    {
    }

    public function blocks(): Generator
    {
        $forms = array_combine($this->frame->carried->names(), array_map(static fn (Column $c): ValueForm => new ValueForm($c->type), $this->frame->carried->columns));
        $encoded = '';
        $bad = [];
        foreach ((new Reader($this->pieces))->lines() as $number => $values) {
            if (is_string($values)) {
                $bad[] = new BadLine($number, 'malformed', $values, $this->frame->row([], $number), '');
            } else {
                $row = $this->looked($number, $values, $forms);
                $row instanceof BadLine ? $bad[] = $row : $encoded .= $row;
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

    /**
     * One line, encoded, or what is wrong with it.
     *
     * @param  array<string, string|null>  $values
     * @param  array<string, ValueForm>  $forms
     */
    private function looked(int $number, array $values, array $forms): string|BadLine
    {
        $faults = $row = [];
        foreach ($forms as $name => $form) {
            $said = $values[$name] ?? null;
            $value = $said === null ? null : $form->value($said);
            if ($value === false) {
                $faults[] = $form->fault($name);
            }
            $row[] = $value === false ? $said : $value;
        }
        $reason = $faults === [] ? 'other_columns' : 'wrong_type';
        foreach ($this->frame->fit ? [] : array_diff(array_keys($values), $this->frame->known) as $besides) {
            $faults[] = "it also has \"{$besides}\"";
        }
        if ($faults === []) {
            return CopyText::fields($row).$this->frame->behind($number);
        }

        return new BadLine($number, $reason, implode('; ', $faults), $this->frame->row($row, $number),
            (string) json_encode($values, JSON_UNESCAPED_UNICODE | JSON_UNESCAPED_SLASHES | JSON_INVALID_UTF8_SUBSTITUTE));
    }
}
