<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment\Step;

use InvalidArgumentException;
use Lighterman\Core\Port\TableName;
use Lighterman\Core\Shape\Type;
use Lighterman\Core\Treatment\Fault;
use Lighterman\Core\Treatment\RowCompiler;

/** Puts in the place of a value what another table has for it. */
final readonly class Lookup implements Step
{
    /** Stands for a table, or column, that is not said yet. */
    public const UNSAID = '?';

    /**
     * @param  string  $system  name of the system that the table is in
     * @param  string  $match  column of that table which the value is looked for in
     * @param  string  $take  column of that table which the result is taken from
     * @param  Type  $matchType  of the one
     * @param  Type  $takeType  of the other
     * @param  int  $age  seconds for which an answer is good
     * @param  string  $else  what becomes of a value that is not found: `fail`, `null`, or `use` for another
     * @param  string  $use  the value put in its place, in text form
     *
     * @throws InvalidStep
     */
    public function __construct(
        public string $system,
        public TableName $table,
        public string $match,
        public string $take,
        public Type $matchType,
        public Type $takeType,
        public int $age = 300,
        public string $else = 'fail',
        public string $use = '',
    ) {
        if ($system === '' || $match === '' || $take === '') {
            throw InvalidStep::because('A lookup names the system, the table, the column that is matched and the one that is taken.');
        }
        if ($age < 1 || $age > 604_800) {
            throw InvalidStep::because("An answer cannot be good for {$age} seconds; between 1 second and a week it can.");
        }
        if (! in_array($else, ['fail', 'null', 'use'], true)) {
            throw InvalidStep::because('What is done with a value that is not found is one of fail, null and use.');
        }
    }

    public function emit(RowCompiler $to, string $variable, ?Type $type): Type
    {
        if ($this->table->name === self::UNSAID) {
            throw InvalidStep::because('It is not said yet in which table it is looked up.');
        }
        if ($type === null) {
            throw InvalidStep::because('There is no value yet that could be looked up.');
        }
        $use = $this->use;
        if ($this->else === 'use') {
            try {
                $use = (new Convert($this->takeType))->worked($this->use);
            } catch (Fault) {
                throw InvalidStep::because("\"{$this->use}\" cannot be put in place of what is not found, since it is not {$this->takeType} itself.");
            }
        }
        $to->work($variable, $to->lookup($this, (string) $use));

        return $this->takeType;
    }

    public function masks(): bool
    {
        return false;
    }

    public function keepsApart(): bool
    {
        return false;
    }

    public function sentence(): string
    {
        $age = $this->age % 60 === 0 ? intdiv($this->age, 60).' min' : "{$this->age} s";

        return ($this->table->name === self::UNSAID ? 'look up' : "look up {$this->table->name}.{$this->take}, {$age}").match ($this->else) {
            'null' => ', else null', 'use' => ", else {$this->use}", default => '',
        };
    }

    public function toArray(): array
    {
        return ['lookup' => (string) $this->table, 'system' => $this->system, 'match' => $this->match, 'take' => $this->take, 'match_type' => (string) $this->matchType, 'type' => (string) $this->takeType, 'age' => $this->age]
            + ($this->else === 'fail' ? [] : ['else' => $this->else]) + ($this->else === 'use' ? ['use' => $this->use] : []);
    }

    /**
     * @param  array<string, mixed>  $data
     *
     * @throws InvalidStep
     */
    public static function fromArray(array $data): self
    {
        try {
            return new self(
                (string) ($data['system'] ?? ''), TableName::parse((string) $data['lookup']), (string) ($data['match'] ?? ''), (string) ($data['take'] ?? ''), Type::parse((string) ($data['match_type'] ?? 'text')), Type::parse((string) ($data['type'] ?? 'text')),
                (int) ($data['age'] ?? 300), (string) ($data['else'] ?? 'fail'), (string) ($data['use'] ?? ''),
            );
        } catch (InvalidArgumentException $e) {
            throw InvalidStep::because($e->getMessage().'.');
        }
    }
}
