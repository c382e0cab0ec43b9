<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment;

use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Shape\Type;
use Lighterman\Core\Shape\TypeKind;
use Lighterman\Core\Treatment\Expression\InvalidExpression;
use Lighterman\Core\Treatment\Expression\Piece;
use Lighterman\Core\Treatment\Expression\Scope;
use Lighterman\Core\Treatment\Step\RowCode;
use Lighterman\Core\Treatment\Value\InvalidStep;
use Lighterman\Core\Treatment\Value\Sought;
use Lighterman\Core\Treatment\Value\Worker;

/**
 * Compiles the lines of a sheet, each into a block of PHP that fills one variable, in the order in which they need each
 * other.
 */
final class LineCompiler implements RowCode
{
    /** @var array<int, InvalidTreatment> what is wrong, by line */
    public array $errors = [];

    /** @var array<int, bool> by line: false while it is being compiled */
    private array $done = [];

    private ?int $line = null;

    private int $step = -1;

    /** @var array<int, true> source columns that what is compiled beside the lines needs */
    private array $beside = [];

    /**
     * @param  Shape  $read  the columns of the records that are treated
     * @param  list<Line>  $sheet
     * @param  Resolved  $made  takes what the lines come to
     */
    public function __construct(private readonly Shape $read, public readonly array $sheet, private readonly Resolved $made, private readonly Reach $reach)
    {
        foreach (array_keys($sheet) as $i) {
            $this->collected(fn () => $this->line($i), $i);
        }
    }

    /**
     * Compiles something beside the lines.
     *
     * @param  callable(): string  $php
     * @return array{php: string, needs: list<int>} with the source columns it needs
     *
     * @throws InvalidTreatment
     */
    public function condition(callable $php): array
    {
        $this->beside = [];
        $this->line = null;
        try {
            return ['php' => $php(), 'needs' => array_keys($this->beside)];
        } catch (InvalidExpression $e) {
            throw InvalidTreatment::expression($e);
        }
    }

    public function statement(string $php): void
    {
        $this->made->blocks[(int) $this->line][] = [$this->step, $php];
    }

    public function work(string $variable, Worker $worker): void
    {
        $this->statement("if ({$variable} !== null) { {$variable} = {$this->tool($worker)}->of({$variable}); }");
    }

    public function plain(): void
    {
        $this->made->plain[(int) $this->line] = $this->step;
    }

    public function tool(object $tool): string
    {
        $this->made->tools[] = $tool;

        return '$k'.(count($this->made->tools) - 1);
    }

    public function secret(string $name): string
    {
        return $this->reach->secret($name);
    }

    public function lookup(Sought $in, int $age, string|null|false $else): Worker
    {
        return $this->reach->lookup($in, $age, $else);
    }

    public function scopeFor(?string $variable, ?Type $type): Scope
    {
        return new class($this, $variable, $type) implements Scope
        {
            public function __construct(private readonly LineCompiler $rows, private readonly ?string $variable, private readonly ?Type $type)
            {
            }

            public function named(string $name): ?Piece
            {
                $own = $this->variable === null || $this->type === null ? null : Piece::held($this->variable, $this->type);

                return $name === 'value' && $own !== null ? $own : $this->rows->named($name, $own);
            }

            public function asRead(string $name): ?Piece
            {
                return $this->rows->asRead($name);
            }

            public function names(): array
            {
                return array_map(static fn (Line $l): string => $l->name(), $this->rows->sheet);
            }

            public function tool(object $tool): string
            {
                return $this->rows->tool($tool);
            }
        };
    }

    /** A value as it lands, by the name it lands under or else by that of its source column. */
    public function named(string $name, ?Piece $own): ?Piece
    {
        foreach ([static fn (Line $l): bool => $l->name() === $name, static fn (Line $l): bool => $l->from === $name] as $is) {
            foreach ($this->sheet as $i => $line) {
                if ($is($line)) {
                    return $i === $this->line && $own !== null ? $own : $this->landed($i);
                }
            }
        }

        return null;
    }

    public function asRead(string $name): ?Piece
    {
        $at = array_search($name, $this->read->names(), true);

        return $at === false ? null : Piece::held($this->raw($at), $this->read->columns[$at]->type);
    }

    private function landed(int $i): Piece
    {
        $line = $this->sheet[$i];
        if (($this->done[$i] ?? null) === false) {
            throw InvalidTreatment::of("{$line->name()} is computed from itself, in a circle.");
        }
        $this->collected(fn () => $this->line($i), $i);
        if (isset($this->errors[$i])) {
            throw InvalidTreatment::of("It needs {$line->name()}, which cannot be computed as it stands.");
        }
        foreach (array_keys($this->made->needs[$i]) as $at) {
            $this->needed($at);
        }

        return Piece::held($this->made->variables[$i], $this->made->types[$i]);
    }

    private function raw(int $at): string
    {
        $this->needed($at);

        return "\$c{$at}";
    }

    private function needed(int $at): void
    {
        if ($this->line === null) {
            $this->beside[$at] = true;
        } else {
            $this->made->needs[$this->line][$at] = true;
        }
    }

    /** @param  callable(): void  $do */
    private function collected(callable $do, int $i): void
    {
        [$line, $step] = [$this->line, $this->step];
        try {
            $do();
        } catch (InvalidTreatment|InvalidStep $e) {
            $this->errors[$i] = $e instanceof InvalidTreatment ? $e : InvalidTreatment::of($e->getMessage());
        } catch (InvalidExpression $e) {
            $this->errors[$i] = InvalidTreatment::expression($e);
        } finally {
            [$this->line, $this->step] = [$line, $step];
        }
    }

    private function line(int $i): void
    {
        if (isset($this->done[$i])) {
            return;
        }
        $line = $this->sheet[$i];
        [$this->line, $this->step, $this->done[$i], $this->made->needs[$i], $this->made->blocks[$i]] = [$i, -1, false, [], []];
        try {
            $type = null;
            $this->made->variables[$i] = "\$v{$i}";
            if ($line->from !== null) {
                $at = (int) array_search($line->from, $this->read->names(), true);
                $raw = $this->raw($at);
                $type = $this->read->columns[$at]->type;
                if ($line->steps === []) {
                    $this->made->variables[$i] = $raw;
                } else {
                    $this->statement("\$v{$i} = {$raw};");
                }
            }
            foreach ($line->steps as $this->step => $step) {
                $this->line = $i;
                $type = $step->emit($this, "\$v{$i}", $type);
            }
            $this->made->types[$i] = $type ?? Type::of(TypeKind::Text);
        } finally {
            $this->done[$i] = true;
            $this->made->order[] = $i;
        }
    }
}
