<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment\Expression;

/** One function of the expression language. */
final readonly class FunctionSpec
{
    /**
     * @param  list<string>  $arguments  what each is, for people; one that ends in … may be repeated
     * @param  list<Kind>  $takes  the kind of each argument
     * @param  list<string>  $defaults  PHP of the last arguments where they are left out
     * @param  string  $php  the function that computes it
     * @param  list<string>  $more  PHP of further arguments it is given
     */
    public function __construct(
        public string $name,
        public array $arguments,
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
        return str_ends_with($this->arguments[count($this->arguments) - 1] ?? '', '…');
    }

    public function signature(): string
    {
        $from = count($this->arguments) - count($this->defaults);

        return $this->name.'('.implode(', ', array_map(static fn (string $a, int $i): string => $i >= $from ? "[{$a}]" : $a, $this->arguments, array_keys($this->arguments))).')';
    }
}
