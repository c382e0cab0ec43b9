<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment\Expression;

/** One function of the expression language. */
final readonly class FunctionSpec
{
    /**
     * @param  array<string, Kind>  $takes  the kind of each argument, by what it is, for people; one that ends in … may be repeated
     * @param  list<string>  $defaults  PHP of the last arguments where they are left out
     * @param  string  $php  the function that computes it
     * @param  list<string>  $more  PHP of further arguments it is given
     */
    public function __construct(
        public string $name,
        public array $takes,
        public Kind $gives,
        public string $says,
        public string $example,
        public string $php,
        public array $defaults = [],
        public array $more = [],
    ) {
    }

    public function repeats(): bool
    {
        return str_ends_with((string) array_key_last($this->takes), '…');
    }

    public function signature(): string
    {
        $from = count($this->takes) - count($this->defaults);

        return $this->name.'('.implode(', ', array_map(static fn (string $a, int $i): string => $i >= $from ? "[{$a}]" : $a, array_keys($this->takes), range(0, count($this->takes) - 1))).')';
    }
}
