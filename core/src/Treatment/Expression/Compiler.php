<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment\Expression;

use Brick\Math\BigDecimal;
use Lighterman\Core\Shape\Type;
use Lighterman\Core\Shape\TypeKind;
use Lighterman\Core\Treatment\Value\Fault;
use Lighterman\Core\Treatment\Value\Moment;
use Lighterman\Core\Treatment\Value\Pattern;
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

/**
 * Turns an expression into PHP, by way of its syntax tree: every part is checked for its kind, names become what the scope
 * says, and texts are written as literals. Nothing typed by a person reaches the PHP in any other form.
 *
 * As in SQL, a part that is null makes what is computed from it null, and a condition that is null does not hold.
 */
final class Compiler implements Parts
{
    /** Digits of a number that is written in an expression. */
    private const DIGITS = 100;

    private const COMPARE = ['==' => '=== 0', '!=' => '!== 0', '<' => '< 0', '>' => '> 0', '<=' => '<= 0', '>=' => '>= 0'];

    private const ARITHMETIC = ['+' => 'add', '-' => 'subtract', '*' => 'multiply', '/' => 'divide', '%' => 'remainder'];

    private int $temporaries = 0;

    private readonly SyntaxTree $tree;

    private readonly Calls $calls;

    /** @throws InvalidExpression */
    private function __construct(private readonly string $expression, private readonly Scope $scope)
    {
        $this->tree = SyntaxTree::of($expression);
        $this->calls = new Calls($this, $scope);
    }

    /** @throws InvalidExpression */
    public static function compile(string $expression, Scope $scope): Piece
    {
        $compiler = new self($expression, $scope);

        return $compiler->node($compiler->tree->root);
    }

    public function fail(Node $node, string $message): InvalidExpression
    {
        return InvalidExpression::at($this->expression, $this->tree->placeOf($node), $message);
    }

    public function node(Node $node): Piece
    {
        return match (true) {
            $node instanceof ConstantNode => $this->constant($node),
            $node instanceof NameNode, $node instanceof NullCoalescedNameNode => $this->name($node, $node->attributes['name']),
            $node instanceof BinaryNode => $this->binary($node, $node->attributes['operator'], $node->nodes['left'], $node->nodes['right']),
            $node instanceof UnaryNode => $this->unary($node, $node->attributes['operator'], $node->nodes['node']),
            $node instanceof ConditionalNode => $this->conditional($node),
            $node instanceof NullCoalesceNode => $this->calls->coalesce($node, [$node->nodes['expr1'], $node->nodes['expr2']]),
            $node instanceof FunctionNode => $this->calls->call($node, $node->attributes['name'], array_values($node->nodes['arguments']->nodes)),
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
            default => new Piece(var_export($this->digits($node, $value), true), Kind::Number),
        };
    }

    /** A number of an expression, digit by digit, as it is written. */
    private function digits(ConstantNode $node, int|float $value): string
    {
        $written = $this->tree->number($node);
        if (! is_numeric($written) || (float) $written !== (float) $value || strlen($written) > self::DIGITS || preg_match('/e[+-]?0*\d{4,}/i', $written) === 1) {
            throw $this->fail($node, 'A number in an expression may have at most '.self::DIGITS.' digits.');
        }

        return (string) BigDecimal::of($written);
    }

    private function name(Node $node, string $name): Piece
    {
        return $this->scope->named($name) ?? throw $this->fail($node, "There is no column \"{$name}\".".Calls::suggested($name, $this->scope->names()));
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

    public function compare(string $operator, Node $left, Node $right): Piece
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
            $a->kind->isTime() && ($b->kind->isTime() || $this->isTimeWritten($right)), $b->kind->isTime() && $this->isTimeWritten($left) => 'Moment::compare(%s, %s)',
            in_array($a->kind, [Kind::Text, Kind::Nested], true) && in_array($b->kind, [Kind::Text, Kind::Nested], true) => 'Text::compare(%s, %s)',
            default => throw $this->fail($right, "A {$a->kind->value} cannot be compared with a {$b->kind->value}."),
        };
        $t = $this->temporary();

        return new Piece("(({$t} = ".sprintf($by, $a->php, $b->php).") === null ? null : {$t} ".self::COMPARE[$operator].')', Kind::Flag);
    }

    /** Whether a part is a date or a moment in quotes. */
    private function isTimeWritten(Node $node): bool
    {
        $text = $node instanceof ConstantNode ? $node->attributes['value'] : null;
        if (! is_string($text)) {
            return false;
        }
        try {
            Moment::at($text);

            return true;
        } catch (Fault $fault) {
            throw $this->fail($node, ucfirst($fault->getMessage()).'.');
        }
    }

    private function in(Node $left, Node $right, bool $not): Piece
    {
        if (! $right instanceof ArrayNode) {
            throw $this->fail($right, 'After "in" stands a list, such as [1, 2, 3].');
        }
        $any = 'false';
        $held = $this->node($left);
        $t = $this->temporary();
        foreach (SyntaxTree::elements($right) as $element) {
            if (! $element instanceof ConstantNode && ! $element instanceof UnaryNode) {
                throw $this->fail($element, 'A list holds only plain values.');
            }
            $piece = $this->node($element);
            if ($piece->kind !== $held->kind && ! ($held->kind->isTime() && $this->isTimeWritten($element))) {
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

    public function pattern(Node $node): string
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

    /**
     * Parts that stand for one another must be of one kind.
     *
     * @param  list<Node>  $nodes
     * @return list<Piece>
     */
    public function alike(array $nodes): array
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

    /** PHP that gives a part as a wanted kind, where that can be had without a doubt. */
    public function as(Kind $wanted, Node $node): string
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

    public function temporary(): string
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
