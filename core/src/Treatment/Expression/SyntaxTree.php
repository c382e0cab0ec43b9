<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment\Expression;

use Lighterman\Core\Treatment\Value\Limits;
use SplObjectStorage;
use Symfony\Component\ExpressionLanguage\Lexer;
use Symfony\Component\ExpressionLanguage\Node\ArrayNode;
use Symfony\Component\ExpressionLanguage\Node\ConstantNode;
use Symfony\Component\ExpressionLanguage\Node\FunctionNode;
use Symfony\Component\ExpressionLanguage\Node\NameNode;
use Symfony\Component\ExpressionLanguage\Node\Node;
use Symfony\Component\ExpressionLanguage\Node\NullCoalescedNameNode;
use Symfony\Component\ExpressionLanguage\Parser;
use Symfony\Component\ExpressionLanguage\SyntaxError;
use Symfony\Component\ExpressionLanguage\Token;

/** The syntax tree of an expression, which nobody changes, and where its parts stand in the text. */
final class SyntaxTree
{
    /** Expressions whose trees are kept. */
    private const REMEMBERED = 1000;

    public readonly Node $root;

    /** A text in quotes, as the lexer knows it. */
    private const TEXT = '/"[^"\\\\]*(?:\\\\.[^"\\\\]*)*"|\'[^\'\\\\]*(?:\\\\.[^\'\\\\]*)*\'/As';

    private const NUMBER = '/[0-9_]*(?:\.[0-9_]*)?(?:[eE][+-]?[0-9_]+)?/A';

    private const ESCAPES = ['\\' => '\\', "'" => "'", '"' => '"', 'n' => "\n", 'r' => "\r", 't' => "\t"];

    /** @var SplObjectStorage<Node, int> where a part begins */
    private SplObjectStorage $places;

    /** @var SplObjectStorage<Node, int> the byte where a leaf begins */
    private SplObjectStorage $bytes;

    private int $leaf = 0;

    /** @throws InvalidExpression */
    private function __construct(private readonly string $expression)
    {
        if (trim($expression) === '') {
            throw InvalidExpression::at($expression, 1, 'There is no expression.');
        }
        if (mb_strlen($expression) > Limits::EXPRESSION) {
            throw InvalidExpression::at($expression, Limits::EXPRESSION, 'An expression may have at most '.Limits::EXPRESSION.' characters.');
        }
        $this->places = new SplObjectStorage;
        $this->bytes = new SplObjectStorage;
        [$this->root, $leaves] = $this->parsed();
        $this->locate($this->root, $leaves, 0);
    }

    /** @throws InvalidExpression */
    public static function of(string $expression): self
    {
        // A definition is compiled several times while it is edited.
        static $known = [];
        $tree = $known[$expression] ?? new self($expression);
        $known = count($known) < self::REMEMBERED ? $known : [];

        return $known[$expression] = $tree;
    }

    /** Where a part begins, in characters, counted from 1. */
    public function placeOf(Node $node): int
    {
        return $this->places->contains($node) ? $this->places[$node] : 1;
    }

    /** A number as it is written, which a double may not hold. */
    public function number(Node $node): string
    {
        preg_match(self::NUMBER, $this->expression, $m, 0, $this->bytes->contains($node) ? $this->bytes[$node] - 1 : 0);

        return str_replace('_', '', $m[0] ?? '');
    }

    /** A text as it is meant: a backslash stands for itself before anything but itself, quotes, and the letters for a tab and the ends of lines. */
    private function text(int $byte): string
    {
        preg_match(self::TEXT, $this->expression, $m, 0, $byte - 1);

        return preg_replace_callback('/\\\\(.)/s', static fn (array $e): string => self::ESCAPES[$e[1]] ?? $e[0], substr($m[0] ?? '', 1, -1)) ?? '';
    }

    /**
     * @return array{Node, list<int>} the syntax tree, which nobody changes, and where its leaves stand
     *
     * @throws InvalidExpression
     */
    private function parsed(): array
    {
        try {
            $tokens = (new Lexer)->tokenize($this->expression);
            $again = clone $tokens;
            $leaves = [];
            while (! $again->isEOF()) {
                if (in_array($again->current->type, [Token::NAME_TYPE, Token::NUMBER_TYPE, Token::STRING_TYPE], true)) {
                    $leaves[] = (int) $again->current->cursor;
                }
                if ($again->current->type === Token::STRING_TYPE) {
                    // The lexer takes a backslash away that it knows nothing of.
                    $again->current->value = $this->text((int) $again->current->cursor);
                }
                $again->next();
            }
            // Names are looked up later, where what is known suggests what was meant.
            $tree = (new Parser([]))->parse($tokens, [], Parser::IGNORE_UNKNOWN_VARIABLES | Parser::IGNORE_UNKNOWN_FUNCTIONS);
        } catch (SyntaxError $e) {
            throw $this->syntax($e);
        }

        return [$tree, $leaves];
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
            $this->bytes[$node] = $leaves[min($this->leaf, count($leaves) - 1)] ?? 1;
            $this->leaf++;
        }
        $parts = $node instanceof ArrayNode ? self::elements($node) : array_values($node->nodes);
        foreach ($parts as $part) {
            $this->locate($part, $leaves, $depth + 1);
        }
    }

    /** @return list<Node> the values of a list */
    public static function elements(ArrayNode $node): array
    {
        return array_values(array_filter(array_values($node->nodes), static fn (int $i): bool => $i % 2 === 1, ARRAY_FILTER_USE_KEY));
    }
}
