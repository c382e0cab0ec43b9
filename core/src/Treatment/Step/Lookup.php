<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment\Step;

use InvalidArgumentException;
use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Shape\Type;
use Lighterman\Core\Treatment\Value\Instead;
use Lighterman\Core\Treatment\Value\InvalidStep;
use Lighterman\Core\Treatment\Value\Sought;

/** Puts in the place of a value what another table has for it. */
final readonly class Lookup implements AsksTable
{
    /** Stands for a table, or column, that is not said yet. */
    public const UNSAID = '?';

    /**
     * @param  int  $age  seconds for which an answer is good
     * @param  Instead  $missed  what becomes of a value that is not found
     *
     * @throws InvalidStep
     */
    public function __construct(public Sought $in, public int $age = 300, public Instead $missed = new Instead)
    {
        if ($in->system === '' || $in->match->name === '' || $in->take->name === '') {
            throw InvalidStep::because('A lookup names the system, the table, the column that is matched and the one that is taken.');
        }
        if ($age < 1 || $age > 604_800) {
            throw InvalidStep::because("An answer cannot be good for {$age} seconds; between 1 second and a week it can.");
        }
    }

    public static function name(): string
    {
        return 'lookup';
    }

    public static function word(): string
    {
        return 'Look up';
    }

    public static function reads(array $data): bool
    {
        return isset($data['lookup']);
    }

    public function makes(): bool
    {
        return false;
    }

    public static function typed(array $typed): array
    {
        $t = new Typed($typed);

        return ['lookup' => $t->text('lookup'), 'system' => $t->text('system'), 'match' => $t->text('match'), 'take' => $t->text('take'), 'age' => (int) round((float) $t->text('age_minutes') * 60), 'else' => $t->text('else') ?: 'fail', 'use' => $t->text('use')];
    }

    public static function begins(): array
    {
        return ['lookup' => self::UNSAID, 'match' => self::UNSAID, 'take' => self::UNSAID];
    }

    public static function schema(): array
    {
        return [
            'lookup' => ['type' => 'string', 'description' => 'schema.table to look the value up in'],
            'system' => ['type' => 'string', 'description' => 'The system that table is in'],
            'match' => ['type' => 'string', 'description' => 'Its column that the value is looked for in'],
            'take' => ['type' => 'string', 'description' => 'Its column that the result is taken from'],
            'match_type' => ['type' => 'string', 'description' => 'Type of the matched column; text where it is left out'],
            'type' => ['type' => 'string'],
            'age' => ['type' => 'integer', 'minimum' => 1, 'maximum' => 604800, 'description' => 'Seconds for which an answer is good'],
        ] + Instead::schema();
    }

    public static function tableKey(): string
    {
        return 'lookup';
    }

    public static function typeKeys(): array
    {
        return ['match' => 'match_type', 'take' => 'type'];
    }

    public function emit(RowCode $to, string $variable, ?Type $type): Type
    {
        if ($this->in->table->name === self::UNSAID) {
            throw InvalidStep::because('It is not said yet in which table it is looked up.');
        }
        if ($type === null) {
            throw InvalidStep::because('There is no value yet that could be looked up.');
        }
        $else = $this->missed->value((new Convert($this->in->take->type))->worked(...), "%s cannot be put in place of what is not found, since it is not {$this->in->take->type} itself.");
        $to->work($variable, $to->lookup($this->in, $this->age, $this->missed->fails() ? false : $else));

        return $this->in->take->type;
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

        return ($this->in->table->name === self::UNSAID ? 'look up' : "look up {$this->in->table->name}.{$this->in->take->name}, {$age}").$this->missed->sentence();
    }

    public function toArray(): array
    {
        return ['lookup' => (string) $this->in->table, 'system' => $this->in->system, 'match' => $this->in->match->name, 'take' => $this->in->take->name, 'match_type' => (string) $this->in->match->type, 'type' => (string) $this->in->take->type, 'age' => $this->age] + $this->missed->toArray();
    }

    /**
     * @param  array<string, mixed>  $data
     *
     * @throws InvalidStep
     */
    public static function fromArray(array $data): self
    {
        try {
            $column = static fn (string $name, string $type): Column => new Column((string) ($data[$name] ?? ''), Type::parse((string) ($data[$type] ?? 'text')));

            return new self(new Sought((string) ($data['system'] ?? ''), TableName::parse((string) $data['lookup']), $column('match', 'match_type'), $column('take', 'type')), (int) ($data['age'] ?? 300), Instead::fromArray($data));
        } catch (InvalidArgumentException $e) {
            throw InvalidStep::because($e->getMessage().'.');
        }
    }
}
