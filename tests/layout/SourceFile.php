<?php

declare(strict_types=1);

namespace Tests\Layout;

/**
 * What one file of PHP declares and which names it speaks of, read from its tokens.
 */
final class SourceFile
{
    private const NAMES = [T_STRING, T_NAME_QUALIFIED, T_NAME_FULLY_QUALIFIED, T_NAME_RELATIVE];

    /** @var list<string> classes, interfaces, enums and traits that it declares, whole names */
    public array $declares = [];

    /** @var array<string, true> whole names it may mean: of classes, functions, constants, whether they exist or not */
    public array $names = [];

    /** @var list<string> functions that it calls and classes that it makes by name, as written; with () where nothing is given */
    public array $calls = [];

    /** Fields of its first class that may change after construction. */
    public int $mutable = 0;

    public int $constructorParameters = 0;

    public readonly int $lines;

    private string $namespace = '';

    /** @var array<string, string> */
    private array $aliases = [];

    /** @var list<\PhpToken> */
    private array $tokens;

    public function __construct(public readonly string $path)
    {
        $code = (string) file_get_contents($path);
        $this->lines = substr_count($code, "\n");
        $this->tokens = array_values(array_filter(\PhpToken::tokenize($code), static fn (\PhpToken $t): bool => ! $t->isIgnorable()));
        for ($i = 0; isset($this->tokens[$i]); $i++) {
            match (true) {
                $this->tokens[$i]->is(T_NAMESPACE) => $this->namespace = $this->tokens[++$i]->text,
                $this->tokens[$i]->is(T_USE) && $this->declares === [] => $i = $this->import($i),
                $this->tokens[$i]->is([T_CLASS, T_INTERFACE, T_ENUM, T_TRAIT]) && $this->tokens[$i + 1]->is(T_STRING) && ! $this->tokens[$i - 1]->is([T_DOUBLE_COLON, T_NEW]) => $this->declare($i),
                $this->tokens[$i]->is(self::NAMES) => $this->name($i),
                $this->tokens[$i]->is(T_FUNCTION) && $this->tokens[$i + 1]->text === '__construct' => $this->constructor($i + 2),
                default => null,
            };
        }
    }

    private function import(int $i): int
    {
        $kind = $this->tokens[$i + 1]->is([T_FUNCTION, T_CONST]);
        $prefix = '';
        for ($i++; $this->tokens[$i]->text !== ';'; $i++) {
            $token = $this->tokens[$i];
            if ($this->tokens[$i + 1]->text === '\\' || $this->tokens[$i + 1]->is(T_NS_SEPARATOR)) {
                $prefix = $token->text.'\\';
            } elseif ($token->is(self::NAMES) && ! $kind && ! $this->tokens[$i - 1]->is(T_AS)) {
                $whole = ltrim($prefix.$token->text, '\\');
                $alias = $this->tokens[$i + 1]->is(T_AS) ? $this->tokens[$i + 2]->text : substr((string) strrchr('\\'.$whole, '\\'), 1);
                $this->aliases[strtolower($alias)] = $whole;
                $this->names[$whole] = true;
            }
        }

        return $i;
    }

    private function declare(int $i): void
    {
        $this->declares[] = "{$this->namespace}\\{$this->tokens[$i + 1]->text}";
        if (count($this->declares) === 1) {
            $readonly = array_filter(array_slice($this->tokens, max(0, $i - 3), min($i, 3)), static fn (\PhpToken $t): bool => $t->is(T_READONLY)) !== [];
            $this->mutable = $readonly ? 0 : $this->fields($i);
        }
    }

    /** Fields of the class that begins at a token, those of its constructor included. */
    private function fields(int $i): int
    {
        $count = 0;
        for (; isset($this->tokens[$i]); $i++) {
            if (! $this->tokens[$i]->is([T_PUBLIC, T_PROTECTED, T_PRIVATE, T_VAR])) {
                continue;
            }
            for ($j = $i + 1; ! $this->tokens[$j]->is([T_VARIABLE, T_FUNCTION, T_CONST]) && ! $this->tokens[$j]->is(T_READONLY); $j++) {
                continue;
            }
            $count += (int) $this->tokens[$j]->is(T_VARIABLE);
        }

        return $count;
    }

    private function constructor(int $i): void
    {
        $depth = 0;
        do {
            $depth += match ($this->tokens[$i]->text) {
                '(', '[', '#[' => 1, ')', ']' => -1, default => 0,
            };
            $this->constructorParameters += (int) ($depth === 1 && $this->tokens[$i]->is(T_VARIABLE));
            $i++;
        } while ($depth > 0);
    }

    private function name(int $i): void
    {
        $token = $this->tokens[$i];
        $before = $this->tokens[$i - 1] ?? null;
        if ($before?->is([T_OBJECT_OPERATOR, T_NULLSAFE_OBJECT_OPERATOR, T_DOUBLE_COLON, T_FUNCTION, T_CONST, T_GOTO]) === true
            || ($before?->is(T_CASE) === true && in_array($this->tokens[$i + 1]->text ?? '', [';', '='], true))) {
            return;
        }
        if (($this->tokens[$i + 1]->text ?? '') === '(') {
            $this->calls[] = ($before?->is(T_NEW) === true ? 'new ' : '').ltrim($token->text, '\\').(($this->tokens[$i + 2]->text ?? '') === ')' ? '()' : '');
        }
        [$first, $rest] = explode('\\', $token->text.'\\', 2) + ['', ''];
        $rest = rtrim($rest, '\\');
        $this->names[match (true) {
            $token->is(T_NAME_FULLY_QUALIFIED) => ltrim($token->text, '\\'),
            $token->is(T_NAME_RELATIVE) => $this->namespace.substr($token->text, strlen('namespace')),
            isset($this->aliases[strtolower($first)]) => $this->aliases[strtolower($first)].($rest === '' ? '' : "\\{$rest}"),
            default => "{$this->namespace}\\{$token->text}",
        }] = true;
    }
}
