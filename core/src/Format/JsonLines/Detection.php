<?php

declare(strict_types=1);

namespace Lighterman\Core\Format\JsonLines;

use Lighterman\Core\Format\Guess;
use Lighterman\Core\Shape\Type;
use Lighterman\Core\Shape\TypeKind;

/** What the first lines of a file say about the names in its objects and their values, with the evidence. */
final readonly class Detection
{
    /** @param  list<array{name: string, type: Type, format: string|null, evidence: string}>  $columns  in the order in which the names first come */
    private function __construct(public array $columns)
    {
    }

    /** @param  string  $sample  the file's first bytes; a line cut short at its end is left out */
    public static function in(string $sample): self
    {
        $end = strrpos($sample, "\n");
        $values = $kinds = [];
        $lines = 0;
        foreach ((new Reader([$end === false ? $sample : substr($sample, 0, $end + 1)]))->typed() as $object) {
            foreach ($object as $name => [$kind, $value]) {
                $values[$name][$lines] = $value;
                $kinds[$name][$kind] = ($kinds[$name][$kind] ?? 0) + 1;
            }
            $lines++;
        }
        $columns = [];
        foreach ($values as $name => $found) {
            $columns[] = ['name' => (string) $name] + self::type($kinds[$name], array_values($found), $lines);
        }

        return new self($columns);
    }

    /**
     * @param  array<string, int>  $kinds  how often values of a kind come
     * @param  list<string|null>  $values
     * @return array{type: Type, format: string|null, evidence: string}
     */
    private static function type(array $kinds, array $values, int $lines): array
    {
        $lacking = $lines - count($values) + ($kinds['null'] ?? 0);
        unset($kinds['null']);
        $of = number_format(array_sum($kinds)).' of '.number_format($lines).($lacking === 0 ? '' : '; '.number_format($lacking).' without');
        if (array_keys($kinds) === ['nested']) {
            return ['type' => Type::of(TypeKind::JsonBinary), 'format' => null, 'evidence' => "nested in {$of}"];
        }
        $guess = Guess::type($values, '.');
        // What stands in quotes is no number, whatever it looks like; times and dates have no other way.
        if (count($kinds) !== 1 || (isset($kinds['text']) && $guess['type']->kind->isNumeric()) || (isset($kinds['text']) && $guess['format'] !== null)) {
            return ['type' => Type::of(TypeKind::Text), 'format' => null, 'evidence' => (count($kinds) > 1 ? implode(' or ', array_keys($kinds)) : 'text')." in {$of}"];
        }

        return match (array_key_first($kinds)) {
            'boolean' => ['type' => Type::of(TypeKind::Boolean), 'format' => null, 'evidence' => "true or false in {$of}"],
            default => ['type' => $guess['type'], 'format' => null, 'evidence' => strtok($guess['evidence'], ' ')." in {$of}"],
        };
    }
}
