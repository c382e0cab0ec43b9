<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment\Expression;

use Symfony\Component\ExpressionLanguage\Node\Node;

/** Compiles the parts of one expression. */
interface Parts
{
    /** @throws InvalidExpression */
    public function node(Node $node): Piece;

    /**
     * PHP that gives a part as a wanted kind, where that can be had without a doubt.
     *
     * @throws InvalidExpression
     */
    public function as(Kind $wanted, Node $node): string;

    /** @throws InvalidExpression */
    public function compare(string $operator, Node $left, Node $right): Piece;

    /**
     * Parts that stand for one another, and so must be of one kind.
     *
     * @param  list<Node>  $nodes
     * @return list<Piece>
     *
     * @throws InvalidExpression
     */
    public function alike(array $nodes): array;

    /**
     * PHP that stands for a pattern.
     *
     * @throws InvalidExpression
     */
    public function pattern(Node $node): string;

    /** A variable that nothing else uses. */
    public function temporary(): string;

    public function fail(Node $node, string $message): InvalidExpression;
}
