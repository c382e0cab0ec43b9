<?php

declare(strict_types=1);

namespace Lighterman\Core\Format\Rows;

use RuntimeException;

/** A file has other columns than the feed expects. */
final class OtherShape extends RuntimeException
{
    /**
     * @param  list<string>  $lacking
     * @param  list<string>  $besides
     */
    public static function of(array $lacking, array $besides): self
    {
        $list = static fn (array $names): string => implode(', ', array_map(static fn (string $n): string => "\"{$n}\"", array_slice($names, 0, 8))).(count($names) > 8 ? ' and '.(count($names) - 8).' more' : '');

        return new self('it is of another shape: '.implode(' and ', array_filter([$lacking === [] ? '' : 'it lacks '.$list($lacking), $besides === [] ? '' : 'it also has '.$list($besides)])));
    }
}
