<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment\Step;

use Lighterman\Core\Treatment\Value\InvalidStep;

/** The steps there are. This is the only list of them. */
final class Steps
{
    /** @var list<class-string<Step>> */
    private const ALL = [Mask::class, Convert::class, Derive::class, Pick::class, Lookup::class, Stamp::class];

    /** @return list<class-string<Step>> in the order in which they are offered */
    public static function all(): array
    {
        return self::ALL;
    }

    /** @return class-string<Step>|null */
    public static function named(string $name): ?string
    {
        foreach (self::ALL as $step) {
            if ($step::name() === $name) {
                return $step;
            }
        }

        return null;
    }

    /**
     * @param  mixed  $data  as a definition says it
     *
     * @throws InvalidStep
     */
    public static function of(mixed $data): Step
    {
        if (! is_array($data)) {
            throw InvalidStep::because('A step is an object, such as { "mask": "keep_last" }.');
        }
        foreach (self::ALL as $step) {
            if ($step::reads($data)) {
                return $step::fromArray($data);
            }
        }
        throw InvalidStep::because('A step is one of '.implode(', ', array_map(static fn (string $s): string => (string) array_key_first($s::schema()), self::ALL)).'.');
    }

    /** @return array<string, array<string, mixed>> JSON Schema of what a definition says of a step, by key */
    public static function schema(): array
    {
        return array_merge(...array_map(static fn (string $s): array => $s::schema(), self::ALL));
    }
}
