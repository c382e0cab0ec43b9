<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment;

use Lighterman\Core\Shape\Type;

/** What the lines, checks, forks and rules of a treatment come to for one shape, in pieces of PHP. */
final class Resolved
{
    /** @var array<int, Type> by line */
    public array $types = [];

    /** @var array<int, list<array{int, string}>> by line: the step, -1 for the value it begins with, and its PHP */
    public array $blocks = [];

    /** @var array<int, array<int, true>> by line: source columns it is computed from */
    public array $needs = [];

    /** @var array<int, string> by line: the variable that holds its value */
    public array $variables = [];

    /** @var array<int, int> by line: the step after which nothing has to be escaped */
    public array $plain = [];

    /** @var list<int> lines in the order in which they are computed */
    public array $order = [];

    /** @var list<array{php: string, needs: list<int>}> */
    public array $checks = [];

    /** @var list<array{php: string, needs: list<int>}> */
    public array $forks = [];

    /** @var array<int, array{php: string, needs: list<int>}> by rule */
    public array $watched = [];

    /** @var list<object> what the pieces work with, by the number in their names */
    public array $tools = [];
}
