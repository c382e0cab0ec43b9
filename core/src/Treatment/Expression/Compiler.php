<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment\Expression;

use Lighterman\Core\Shape\Type;
use Lighterman\Core\Shape\TypeKind;
use Lighterman\Core\Treatment\Value\Limits;
use Lighterman\Core\Treatment\Value\Pattern;
use Lighterman\Core\Treatment\Value\Unit;
use SplObjectStorage;
use Symfony\Component\ExpressionLanguage\Lexer;
use Symfony\Component\ExpressionLanguage\Node\ArrayNode;
use Symfony\Component\ExpressionLanguage\Node\BinaryNode;
use Symfony\Component\ExpressionLanguage\Node\ConditionalNode;
use Symfony\Component\ExpressionLanguage\Node\ConstantNode;
use Symfony\Component\ExpressionLanguage\Node\FunctionNode;
use Symfony\Component\ExpressionLanguage\Node\GetAttrNode;
use Symfony\Component\ExpressionLanguage\Node\NameNode;
use Symfony\Component\ExpressionLanguage\Node\Node;
use Symfony\Component\ExpressionLanguage\Node\NullCoalescedNameNode;
use Symfony\Component\ExpressionLanguage\Node\NullCoalesceNode;
use Symfony\Component\ExpressionLanguage\Node\UnaryNode;
use Symfony\Component\ExpressionLanguage\Parser;
use Symfony\Component\ExpressionLanguage\SyntaxError;
use Symfony\Component\ExpressionLanguage\Token;

/**
 * Turns an expression into PHP, by way of its syntax tree: every part is checked for its kind, names become what the scope
 * says, and texts are written as literals. Nothing typed by a person reaches the PHP in any other form.
 *
 * As in SQL, a part that is null makes what is computed from it null, and a condition that is null does not hold.
 */
final class Compiler
{
    private const COMPARE = ['==' => '=== 0', '!=' => '!== 0', '<' => '< 0', '>' => '> 0', '<=' => '<= 0', '>=' => '>= 0'];

    /** Expressions whose syntax trees are kept. */
    private const REMEMBERED = 1000;

    private const ARITHMETIC = ['+' => 'add', '-' => 'subtract', '*' => 'multiply', '/' => 'divide', '%' => 'remainder'];

    /** @var SplObjectStorage<Node, int> where a part begins */
    private SplObjectStorage $places;

    private int $leaf = 0;

    private int $temporaries = 0;

    private function __construct(private readonly string $expression, private readonly Scope $scope)
    {
        $this->places = new SplObjectStorage;
    }

    /** @throws InvalidExpression */
    public static function compile(string $expression, Scope $scope): Piece
    {
        return (new self($expression, $scope))->whole();
    }

    private function whole(): Piece
    {
        if (trim($this->expression) === '') {
            throw InvalidExpression::at($this->expression, 1, 'There is no expression.');
        }
        if (mb_strlen($this->expression) > Limits::EXPRESSION) {
            throw InvalidExpression::at($this->expression, Limits::EXPRESSION, 'An expression may have at most '.Limits::EXPRESSION.' characters.');
        }
        [$tree, $leaves] = $this->parsed();
        $this->locate($tree, $leaves, 0);

        return $this->node($tree);
    }

    /**
     * @return array{Node, list<int>} the syntax tree, which nobody changes, and where its leaves stand
     *
     * @throws InvalidExpression
     */
    private function parsed(): array
    {
        // A definition is compiled several times while it is edited.
        static $known = [];
        if (isset($known[$this->expression])) {
            return $known[$this->expression];
        }
        try {
            $tokens = (new Lexer)->tokenize($this->expression);
            $again = clone $tokens;
            $leaves = [];
            while (! $again->isEOF()) {
                if (in_array($again->current->type, [Token::NAME_TYPE, Token::NUMBER_TYPE, Token::STRING_TYPE], true)) {
                    $leaves[] = (int) $again->current->cursor;
                }
                $again->next();
            }
            // Names are looked up later, where what is known suggests what was meant.
            $tree = (new Parser([]))->parse($tokens, [], Parser::IGNORE_UNKNOWN_VARIABLES | Parser::IGNORE_UNKNOWN_FUNCTIONS);
        } catch (SyntaxError $e) {
            throw $this->syntax($e);
        }
        $known = count($known) < self::REMEMBERED ? $known : [];

        return $known[$this->expression] = [$tree, $leaves];
    }

    private function syntax(SyntaxError $e): InvalidExpression
    {
        $message = $e->getMessage();
        $at = preg_match('/around position (\d+)/', $message, $m) ? (int) $m[1] : 1;
        $said = preg_replace('/ around position .*$/s', '', $message) ?? $message;

        return InvalidExpression::at($this->expression, $this->character($at), match (true) {
            str_contains($said, 'end of expression') => 'The expression ends too early.',
            (bool) preg_match('/value "(.*)"/', $said, $v) && $v[1] !== '' => "\"{$v[1]}\" is not expected here.",
            default => rtrim($said, '.').'.',
        });
    }

    /** Places in the parser are bytes, counted from 1. */
    private function character(int $byte): int
    {
        return mb_strlen(substr($this->expression, 0, max(0, $byte - 1))) + 1;
    }

    /**
     * The parser keeps no places, but its leaves come in the order in which they are written.
     *
     * @param  list<int>  $leaves
     */
    private function locate(Node $node, array $leaves, int $depth): void
    {
        if ($depth > Limits::DEPTH) {
            throw InvalidExpression::at($this->expression, 1, 'The expression is nested deeper than '.Limits::DEPTH.' levels.');
        }
        if ($this->places->contains($node)) {
            return;
        }
        $this->places[$node] = $this->character($leaves[min($this->leaf, count($leaves) - 1)] ?? 1);
        if ($node instanceof NameNode || $node instanceof FunctionNode || $node instanceof ConstantNode || $node instanceof NullCoalescedNameNode) {
            $this->leaf++;
        }
        $parts = $node instanceof ArrayNode ? self::elements($node) : array_values($node->nodes);
        foreach ($parts as $part) {
            $this->locate($part, $leaves, $depth + 1);
        }
    }

    /** @return list<Node> the values of a list */
    private static function elements(ArrayNode $node): array
    {
        return array_values(array_filter(array_values($node->nodes), static fn (int $i): bool => $i % 2 === 1, ARRAY_FILTER_USE_KEY));
    }

    private function fail(Node $node, string $message): InvalidExpression
    {
        return InvalidExpression::at($this->expression, $this->places->contains($node) ? $this->places[$node] : 1, $message);
    }

    private function node(Node $node): Piece
    {
        return match (true) {
            $node instanceof ConstantNode => $this->constant($node),
            $node instanceof NameNode, $node instanceof NullCoalescedNameNode => $this->name($node, $node->attributes['name']),
            $node instanceof BinaryNode => $this->binary($node, $node->attributes['operator'], $node->nodes['left'], $node->nodes['right']),
            $node instanceof UnaryNode => $this->unary($node, $node->attributes['operator'], $node->nodes['node']),
            $node instanceof ConditionalNode => $this->conditional($node),
            $node instanceof NullCoalesceNode => $this->coalesce($node, [$node->nodes['expr1'], $node->nodes['expr2']]),
            $node instanceof FunctionNode => $this->call($node, $node->attributes['name'], array_values($node->nodes['arguments']->nodes)),
            $node instanceof GetAttrNode => throw $this->fail($node, "Parts of a nested value are taken with nested(value, 'path')."),
            $node instanceof ArrayNode => throw $this->fail($node, 'A list can stand only after "in".'),
            default => throw $this->fail($node, 'This is not offered in expressions.'),
        };
    }

    private function constant(ConstantNode $node): Piece
    {
        $value = $node->attributes['value'];

        return match (true) {
            $value === null => new Piece('null', Kind::None),
            is_bool($value) => new Piece($value ? 'true' : 'false', Kind::Flag),
            is_string($value) => new Piece(var_export($value, true), Kind::Text),
            is_float($value) && (is_infinite($value) || abs($value) >= 1e15) => throw $this->fail($node, 'A number in an expression may have at most 15 digits.'),
            default => new Piece(var_export(self::digits($value), true), Kind::Number),
        };
    }

    /** A number of an expression, digit by digit: as many as a double surely holds. */
    private static function digits(int|float $value): string
    {
        $places = is_float($value) && $value !== 0.0 ? max(0, 14 - (int) floor(log10(abs($value)))) : 0;

        return $places === 0 ? (string) (int) $value : rtrim(rtrim(number_format($value, $places, '.', ''), '0'), '.');
    }

    private function name(Node $node, string $name): Piece
    {
        return $this->scope->named($name) ?? throw $this->fail($node, "There is no column \"{$name}\".".$this->suggested($name, $this->scope->names()));
    }

    /** @param  list<string>  $known */
    private function suggested(string $meant, array $known): string
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

    private function binary(Node $node, string $operator, Node $left, Node $right): Piece
    {
        return match (true) {
            in_array($operator, ['in', 'not in'], true) => $this->in($left, $right, $operator === 'not in'),
            $operator === 'matches' => new Piece("({$this->matching($left, $right)})", Kind::Flag),
            in_array($operator, ['and', '&&'], true) => $this->both($left, 'false', 'all', $right),
            in_array($operator, ['or', '||'], true) => $this->both($left, 'true', 'either', $right),
            isset(self::COMPARE[$operator]) => $this->compare($operator, $left, $right),
            isset(self::ARITHMETIC[$operator]) => $this->arithmetic($operator, $left, $right),
            $operator === '~' => new Piece("Text::join({$this->node($left)->text()}, {$this->node($right)->text()})", Kind::Text),
            in_array($operator, ['contains', 'starts with', 'ends with'], true) => new Piece('Text::'.['contains' => 'contains', 'starts with' => 'startsWith', 'ends with' => 'endsWith'][$operator]."({$this->as(Kind::Text, $left)}, {$this->as(Kind::Text, $right)})", Kind::Flag),
            in_array($operator, ['===', '!=='], true) => throw $this->fail($right, 'Write '.substr($operator, 0, 2).' to compare.'),
            default => throw $this->fail($right, "The operator {$operator} is not offered."),
        };
    }

    /** The second condition is looked at only if the first leaves it open. */
    private function both(Node $left, string $settles, string $with, Node $right): Piece
    {
        $t = $this->temporary();

        return new Piece("(({$t} = {$this->flag($left)}) === {$settles} ? {$settles} : Real::{$with}({$t}, {$this->flag($right)}))", Kind::Flag);
    }

    private function arithmetic(string $operator, Node $left, Node $right): Piece
    {
        [$a, $b] = [$this->numeric($left), $this->numeric($right)];
        if ($a->kind === Kind::Real || $b->kind === Kind::Real) {
            $real = static fn (Piece $p): string => $p->kind === Kind::Real ? $p->php : "Real::of({$p->php})";

            return new Piece("Real::calculate({$real($a)}, '{$operator}', {$real($b)})", Kind::Real);
        }

        $digits = max($a->digits, $b->digits) + 1;
        if (! in_array($operator, ['+', '-'], true) || $a->scale === null || $a->scale !== $b->scale || $digits > Piece::SHORT) {
            return new Piece('Number::'.self::ARITHMETIC[$operator]."({$a->php}, {$b->php})", Kind::Number);
        }
        // Decimals of one scale are told by where their point stands, and then need no look at their digits.
        [$s, $t] = [$this->temporary(), $this->temporary()];
        $point = -1 - $a->scale;

        return new Piece("((({$s} = {$a->php}) !== null & ({$t} = {$b->php}) !== null) === 1 && strlen({$s}) <= ".(Piece::SHORT + 2)." && strlen({$t}) <= ".(Piece::SHORT + 2)." && ({$s}[{$point}] ?? '') === '.' && ({$t}[{$point}] ?? '') === '.' && is_numeric({$s}) && is_numeric({$t}) ? number_format((float) {$s} {$operator} (float) {$t}, {$a->scale}, '.', '') : Number::".self::ARITHMETIC[$operator]."({$s}, {$t}))", Kind::Number, $a->scale, $digits);
    }

    private function numeric(Node $node): Piece
    {
        $piece = $this->node($node);
        if (! $piece->kind->isNumeric() && $piece->kind !== Kind::None) {
            throw $this->fail($node, "A number is wanted here, but this is a {$piece->kind->value}.".($piece->kind === Kind::Text ? ' number(…) makes one of a text.' : ''));
        }

        return $piece;
    }

    private function compare(string $operator, Node $left, Node $right): Piece
    {
        [$a, $b] = [$this->node($left), $this->node($right)];
        if ($a->kind === Kind::None || $b->kind === Kind::None) {
            // Comparing with the literal null asks whether there is a value.
            $asked = $a->kind === Kind::None ? $b : $a;

            return match ($operator) {
                '==' => new Piece("({$asked->php} === null)", Kind::Flag),
                '!=' => new Piece("({$asked->php} !== null)", Kind::Flag),
                default => throw $this->fail($right, 'Nothing is smaller or greater than null.'),
            };
        }
        $by = match (true) {
            $a->kind === Kind::Number && $b->kind === Kind::Number => 'Number::compare(%s, %s)',
            $a->kind->isNumeric() && $b->kind->isNumeric() => 'Real::compare('.($a->kind === Kind::Real ? '%s' : 'Real::of(%s)').', '.($b->kind === Kind::Real ? '%s' : 'Real::of(%s)').')',
            $a->kind === Kind::Flag && $b->kind === Kind::Flag => 'Real::compareFlags(%s, %s)',
            $a->kind->isTime() && ($b->kind->isTime() || $right instanceof ConstantNode), $b->kind->isTime() && $left instanceof ConstantNode => 'Moment::compare(%s, %s)',
            in_array($a->kind, [Kind::Text, Kind::Nested], true) && in_array($b->kind, [Kind::Text, Kind::Nested], true) => 'Text::compare(%s, %s)',
            default => throw $this->fail($right, "A {$a->kind->value} cannot be compared with a {$b->kind->value}."),
        };
        $t = $this->temporary();

        return new Piece("(({$t} = ".sprintf($by, $a->php, $b->php).") === null ? null : {$t} ".self::COMPARE[$operator].')', Kind::Flag);
    }

    private function in(Node $left, Node $right, bool $not): Piece
    {
        if (! $right instanceof ArrayNode) {
            throw $this->fail($right, 'After "in" stands a list, such as [1, 2, 3].');
        }
        $any = 'false';
        $held = $this->node($left);
        $t = $this->temporary();
        foreach (self::elements($right) as $element) {
            if (! $element instanceof ConstantNode && ! $element instanceof UnaryNode) {
                throw $this->fail($element, 'A list holds only plain values.');
            }
            $piece = $this->node($element);
            if ($piece->kind !== $held->kind && ! ($piece->kind === Kind::Text && $held->kind->isTime())) {
                throw $this->fail($element, "A {$held->kind->value} cannot be compared with a {$piece->kind->value}.");
            }
            $same = match ($held->kind) {
                Kind::Number => "Number::compare({$t}, {$piece->php}) === 0",
                Kind::Date, Kind::Moment => "Moment::compare({$t}, {$piece->php}) === 0",
                default => "{$t} === {$piece->php}",
            };
            $any .= " || {$same}";
        }

        return new Piece("(({$t} = {$held->php}) === null ? null : ".($not ? '! ' : '')."({$any}))", Kind::Flag);
    }

    private function matching(Node $left, Node $right): string
    {
        $t = $this->temporary();

        return "({$t} = {$this->as(Kind::Text, $left)}) === null ? null : {$this->pattern($right)}->matches({$t})";
    }

    private function pattern(Node $node): string
    {
        if (! $node instanceof ConstantNode || ! is_string($node->attributes['value'])) {
            throw $this->fail($node, 'A pattern is written as a text in quotes.');
        }
        $pattern = Pattern::of($node->attributes['value']);
        if (is_string($pattern)) {
            throw $this->fail($node, ucfirst($pattern).'.');
        }

        return $this->scope->tool($pattern);
    }

    private function unary(Node $node, string $operator, Node $of): Piece
    {
        if (in_array($operator, ['!', 'not'], true)) {
            return new Piece("Real::not({$this->flag($of)})", Kind::Flag);
        }
        if (! in_array($operator, ['-', '+'], true)) {
            throw $this->fail($of, "The operator {$operator} is not offered.");
        }
        $piece = $this->numeric($of);

        return match (true) {
            $operator === '+' => $piece,
            $piece->kind === Kind::Real => new Piece("Real::calculate(0.0, '-', {$piece->php})", Kind::Real),
            default => new Piece("Number::negate({$piece->php})", Kind::Number),
        };
    }

    private function flag(Node $node): string
    {
        return $this->as(Kind::Flag, $node);
    }

    private function conditional(ConditionalNode $node): Piece
    {
        $condition = $this->flag($node->nodes['expr1']);
        [$yes, $no] = $this->alike([$node->nodes['expr2'], $node->nodes['expr3']]);

        return new Piece("(({$condition}) === true ? {$yes->php} : {$no->php})", $yes->kind);
    }

    /** @param  list<Node>  $nodes */
    private function coalesce(Node $node, array $nodes): Piece
    {
        if (count($nodes) < 2) {
            throw $this->fail($node, 'coalesce takes at least two values.');
        }
        $pieces = $this->alike($nodes);

        return new Piece('('.implode(' ?? ', array_map(static fn (Piece $p): string => "({$p->php})", $pieces)).')', $pieces[0]->kind);
    }

    /**
     * Parts that stand for one another must be of one kind.
     *
     * @param  list<Node>  $nodes
     * @return list<Piece>
     */
    private function alike(array $nodes): array
    {
        $pieces = array_map($this->node(...), $nodes);
        $kinds = array_values(array_filter(array_map(static fn (Piece $p): Kind => $p->kind, $pieces), static fn (Kind $k): bool => $k !== Kind::None));
        $kind = in_array(Kind::Real, $kinds, true) ? Kind::Real : ($kinds[0] ?? Kind::None);
        foreach ($pieces as $i => $piece) {
            $pieces[$i] = match (true) {
                $piece->kind === $kind => $piece,
                $piece->kind === Kind::None => new Piece('null', $kind),
                $kind === Kind::Real && $piece->kind === Kind::Number => new Piece("Real::of({$piece->php})", Kind::Real),
                default => throw $this->fail($nodes[$i], "This is a {$piece->kind->value}, but the other is a {$kind->value}."),
            };
        }

        return $pieces;
    }

    /** @param  list<Node>  $arguments */
    private function call(Node $node, string $name, array $arguments): Piece
    {
        return match ($name) {
            'column' => $this->scope->named($this->literal($node, $name, $arguments, 0, 1)) ?? throw $this->fail($arguments[0], "There is no column \"{$arguments[0]->attributes['value']}\"."),
            'as_read' => $this->scope->asRead($this->literal($node, $name, $arguments, 0, 1)) ?? throw $this->fail($arguments[0], "The source has no column \"{$arguments[0]->attributes['value']}\"."),
            'coalesce' => $this->coalesce($node, $arguments),
            'null_if' => $this->nullIf($node, $arguments),
            'is_null' => new Piece("({$this->node($this->count($node, $name, $arguments, 1)[0])->php} === null)", Kind::Flag),
            'text' => new Piece($this->node($this->count($node, $name, $arguments, 1)[0])->text(), Kind::Text),
            'first_match' => $this->firstMatch($node, $arguments),
            'unit' => $this->unit($node, $arguments),
            default => $this->function($node, $name, $arguments),
        };
    }

    /** @param  list<Node>  $arguments */
    private function function(Node $node, string $name, array $arguments): Piece
    {
        $spec = Library::functions()[$name] ?? throw $this->fail($node, "There is no function \"{$name}\".".$this->suggested($name, Library::names()));
        $least = count($spec->takes) - count($spec->defaults);
        if (count($arguments) < $least || (count($arguments) > count($spec->takes) && ! $spec->repeats())) {
            throw $this->fail($node, "It is written {$spec->signature()}.");
        }
        $php = [];
        foreach ($arguments as $i => $argument) {
            $php[] = $this->as($spec->takes[min($i, count($spec->takes) - 1)], $argument);
        }
        $php = [...$php, ...array_slice($spec->defaults, max(0, count($arguments) - $least)), ...$spec->more];

        return new Piece("{$spec->php}(".implode(', ', $php).')', $spec->gives);
    }

    /** PHP that gives a part as a wanted kind, where that can be had without a doubt. */
    private function as(Kind $wanted, Node $node): string
    {
        $piece = $this->node($node);

        return match (true) {
            $piece->kind === $wanted, $piece->kind === Kind::None => $piece->php,
            $wanted === Kind::Moment && ($piece->kind === Kind::Date || ($piece->kind === Kind::Text && $node instanceof ConstantNode)) => $piece->php,
            $wanted === Kind::Number && $piece->kind === Kind::Real => $piece->text(),
            $wanted === Kind::Nested && $piece->kind === Kind::Text => $piece->php,
            default => throw $this->fail($node, "A {$wanted->value} is wanted here, but this is a {$piece->kind->value}.".($wanted === Kind::Text ? ' text(…) makes a text of it.' : ($wanted === Kind::Number && $piece->kind === Kind::Text ? ' number(…) makes one of a text.' : ''))),
        };
    }

    /**
     * @param  list<Node>  $arguments
     * @return list<Node>
     */
    private function count(Node $node, string $name, array $arguments, int $wanted): array
    {
        return count($arguments) === $wanted ? $arguments : throw $this->fail($node, 'It is written '.Library::BUILT_IN[$name][0].'.');
    }

    /** @param  list<Node>  $arguments */
    private function literal(Node $node, string $name, array $arguments, int $at, int $wanted): string
    {
        $argument = $this->count($node, $name, $arguments, $wanted)[$at];

        return $argument instanceof ConstantNode && is_string($argument->attributes['value']) ? $argument->attributes['value'] : throw $this->fail($argument, 'A text in quotes is wanted here.');
    }

    /** @param  list<Node>  $arguments */
    private function nullIf(Node $node, array $arguments): Piece
    {
        [$first, $second] = $this->count($node, 'null_if', $arguments, 2);
        $piece = $this->node($first);

        return new Piece("(({$this->compare('==', $first, $second)->php}) === true ? null : {$piece->php})", $piece->kind);
    }

    /** @param  list<Node>  $arguments */
    private function firstMatch(Node $node, array $arguments): Piece
    {
        [$text, $pattern] = $this->count($node, 'first_match', $arguments, 2);
        $t = $this->temporary();

        return new Piece("(({$t} = {$this->as(Kind::Text, $text)}) === null ? null : {$this->pattern($pattern)}->first({$t}))", Kind::Text);
    }

    /** @param  list<Node>  $arguments */
    private function unit(Node $node, array $arguments): Piece
    {
        [$from, $to] = [$this->literal($node, 'unit', $arguments, 1, 3), $this->literal($node, 'unit', $arguments, 2, 3)];
        if (! Unit::agree($from, $to)) {
            throw $this->fail($arguments[1], "{$from} cannot be turned into {$to}. Units are ".implode(', ', Unit::known()).'.');
        }

        return new Piece('Unit::convert('.$this->as(Kind::Number, $arguments[0]).', '.var_export($from, true).', '.var_export($to, true).')', Kind::Number);
    }

    private function temporary(): string
    {
        // Unique within a row's function, since expressions of several lines share it.
        return '$t'.substr(hash('xxh32', $this->expression), 0, 8).$this->temporaries++;
    }

    /** What a column is that an expression fills. */
    public static function typeOf(Piece $piece): Type
    {
        return $piece->kind === Kind::None ? Type::of(TypeKind::Text) : $piece->kind->type();
    }
}
