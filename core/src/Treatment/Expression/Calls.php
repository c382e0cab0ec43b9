<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment\Expression;

use Lighterman\Core\Treatment\Value\Unit;
use Symfony\Component\ExpressionLanguage\Node\ConstantNode;
use Symfony\Component\ExpressionLanguage\Node\Node;

/** Compiles calls of functions: those of the library, and those whose arguments are more than values. */
final readonly class Calls
{
    public function __construct(private Parts $parts, private Scope $scope)
    {
    }

    /** @param  list<Node>  $arguments */
    public function call(Node $node, string $name, array $arguments): Piece
    {
        return match ($name) {
            'column' => $this->scope->named($this->literal($node, $name, $arguments, 0, 1)) ?? throw $this->parts->fail($arguments[0], "There is no column \"{$arguments[0]->attributes['value']}\"."),
            'as_read' => $this->scope->asRead($this->literal($node, $name, $arguments, 0, 1)) ?? throw $this->parts->fail($arguments[0], "The source has no column \"{$arguments[0]->attributes['value']}\"."),
            'coalesce' => $this->coalesce($node, $arguments),
            'null_if' => $this->nullIf($node, $arguments),
            'is_null' => new Piece("({$this->parts->node($this->count($node, $name, $arguments, 1)[0])->php} === null)", Kind::Flag),
            'text' => new Piece($this->parts->node($this->count($node, $name, $arguments, 1)[0])->text(), Kind::Text),
            'first_match' => $this->firstMatch($node, $arguments),
            'unit' => $this->unit($node, $arguments),
            default => $this->function($node, $name, $arguments),
        };
    }

    /** @param  list<Node>  $arguments */
    private function function(Node $node, string $name, array $arguments): Piece
    {
        $spec = Library::functions()[$name] ?? throw $this->parts->fail($node, "There is no function \"{$name}\".".self::suggested($name, Library::names()));
        $least = count($spec->takes) - count($spec->defaults);
        if (count($arguments) < $least || (count($arguments) > count($spec->takes) && ! $spec->repeats())) {
            throw $this->parts->fail($node, "It is written {$spec->signature()}.");
        }
        $kinds = array_values($spec->takes);
        $php = [];
        foreach ($arguments as $i => $argument) {
            $php[] = $this->parts->as($kinds[min($i, count($kinds) - 1)], $argument);
        }
        $php = [...$php, ...array_slice($spec->defaults, max(0, count($arguments) - $least)), ...$spec->more];

        return new Piece("{$spec->php}(".implode(', ', $php).')', $spec->gives);
    }

    /** @param  list<Node>  $nodes */
    public function coalesce(Node $node, array $nodes): Piece
    {
        if (count($nodes) < 2) {
            throw $this->parts->fail($node, 'coalesce takes at least two values.');
        }
        $pieces = $this->parts->alike($nodes);

        return new Piece('('.implode(' ?? ', array_map(static fn (Piece $p): string => "({$p->php})", $pieces)).')', $pieces[0]->kind);
    }

    /** @param  list<string>  $known */
    public static function suggested(string $meant, array $known): string
    {
        $near = null;
        $best = 3;
        foreach ($known as $name) {
            $distance = strlen($name) < 200 && strlen($meant) < 200 ? levenshtein(strtolower($meant), strtolower($name)) : 99;
            if ($distance < $best) {
                [$best, $near] = [$distance, $name];
            }
        }

        return $near === null ? '' : " Did you mean \"{$near}\"?";
    }

    /**
     * @param  list<Node>  $arguments
     * @return list<Node>
     */
    private function count(Node $node, string $name, array $arguments, int $wanted): array
    {
        return count($arguments) === $wanted ? $arguments : throw $this->parts->fail($node, 'It is written '.Library::BUILT_IN[$name][0].'.');
    }

    /** @param  list<Node>  $arguments */
    private function literal(Node $node, string $name, array $arguments, int $at, int $wanted): string
    {
        $argument = $this->count($node, $name, $arguments, $wanted)[$at];

        return $argument instanceof ConstantNode && is_string($argument->attributes['value']) ? $argument->attributes['value'] : throw $this->parts->fail($argument, 'A text in quotes is wanted here.');
    }

    /** @param  list<Node>  $arguments */
    private function nullIf(Node $node, array $arguments): Piece
    {
        [$first, $second] = $this->count($node, 'null_if', $arguments, 2);
        $piece = $this->parts->node($first);

        return new Piece("(({$this->parts->compare('==', $first, $second)->php}) === true ? null : {$piece->php})", $piece->kind);
    }

    /** @param  list<Node>  $arguments */
    private function firstMatch(Node $node, array $arguments): Piece
    {
        [$text, $pattern] = $this->count($node, 'first_match', $arguments, 2);
        $t = $this->parts->temporary();

        return new Piece("(({$t} = {$this->parts->as(Kind::Text, $text)}) === null ? null : {$this->parts->pattern($pattern)}->first({$t}))", Kind::Text);
    }

    /** @param  list<Node>  $arguments */
    private function unit(Node $node, array $arguments): Piece
    {
        [$from, $to] = [$this->literal($node, 'unit', $arguments, 1, 3), $this->literal($node, 'unit', $arguments, 2, 3)];
        if (! Unit::agree($from, $to)) {
            throw $this->parts->fail($arguments[1], "{$from} cannot be turned into {$to}. Units are ".implode(', ', Unit::known()).'.');
        }

        return new Piece('Unit::convert('.$this->parts->as(Kind::Number, $arguments[0]).', '.var_export($from, true).', '.var_export($to, true).')', Kind::Number);
    }
}
