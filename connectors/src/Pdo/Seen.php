<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Pdo;

/** Which numbered changes a look saw: all up to a number but for those missing. */
final readonly class Seen implements \Stringable
{
    /** @param  list<array{int, int, int}>  $missing  first and last number of a range, and when it was noticed, in seconds since 1970 */
    public function __construct(public int $upTo, public array $missing)
    {
    }

    public static function parse(string $json): self
    {
        $data = json_decode($json, true, 8, JSON_THROW_ON_ERROR);

        return new self((int) $data['up_to'], array_values(array_map(static fn (array $m): array => [(int) $m[0], (int) $m[1], (int) $m[2]], $data['missing'])));
    }

    public function __toString(): string
    {
        return json_encode(['up_to' => $this->upTo, 'missing' => $this->missing], JSON_THROW_ON_ERROR);
    }

    /** The condition, over `seq`, for what this look saw and an earlier one did not. */
    public function since(self $earlier): string
    {
        $new = ["seq > {$earlier->upTo} AND seq <= {$this->upTo}", ...self::ranges($earlier->missing)];

        return '('.implode(' OR ', array_map(static fn (string $c): string => "({$c})", $new)).')'.$this->without();
    }

    /** The condition for what is still missing. */
    public function awaited(): string
    {
        return implode(' OR ', self::ranges($this->missing));
    }

    /** The condition for everything this look saw. */
    public function all(): string
    {
        return "seq <= {$this->upTo}".$this->without();
    }

    private function without(): string
    {
        return $this->missing === [] ? '' : ' AND NOT ('.implode(' OR ', self::ranges($this->missing)).')';
    }

    /**
     * @param  list<array{int, int, int}>  $missing
     * @return list<string>
     */
    private static function ranges(array $missing): array
    {
        return array_map(static fn (array $m): string => "seq BETWEEN {$m[0]} AND {$m[1]}", $missing);
    }
}
