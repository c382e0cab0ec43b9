<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment;

use Lighterman\Core\Treatment\Value\InvalidStep;
use Lighterman\Core\Treatment\Value\Sought;
use Lighterman\Core\Trouble\SystemTrouble;

/** What the steps of a treatment reach beyond the record: secrets, and the tables that they look up in. */
final class Reach
{
    /** @var list<LookupCache> */
    public array $lookups = [];

    /** @var array<string, string> secrets by name */
    private array $known = [];

    /** @var callable(string): string */
    private $secrets;

    /** @var (callable(Sought): LookupTable)|null */
    private $tables;

    /**
     * @param  callable(string): string  $secrets  gives the key of keyed hashes by its name
     * @param  (callable(Sought): LookupTable)|null  $tables  reaches the tables of lookups; null where nothing is to be looked up, only checked
     */
    public function __construct(callable $secrets, ?callable $tables = null)
    {
        $this->secrets = $secrets;
        $this->tables = $tables;
    }

    /** The same for another sheet, whose lookups are its own. */
    public function again(): self
    {
        return new self($this->secrets, $this->tables);
    }

    public function secret(string $name): string
    {
        return $this->known[$name] ??= ($this->secrets)($name);
    }

    /**
     * @param  int  $age  seconds for which an answer is good
     * @param  string|null|false  $else  what stands for a value that is not found; false where the record fails
     *
     * @throws InvalidStep
     */
    public function lookup(Sought $in, int $age, string|null|false $else): LookupCache
    {
        return $this->lookups[] = new LookupCache($this->table($in), $in->match->type, $age, $else);
    }

    private function table(Sought $in): LookupTable
    {
        if ($this->tables === null) {
            return new class implements LookupTable
            {
                public function fetch(array $keys): array
                {
                    return [];
                }

                public function now(): int
                {
                    return 0;
                }
            };
        }
        try {
            return ($this->tables)($in);
        } catch (SystemTrouble $trouble) {
            throw InvalidStep::because($trouble->getMessage());
        }
    }
}
