<?php

declare(strict_types=1);

namespace Lighterman\Core\Port\Form;

/** What may stand in a field. */
final readonly class FieldLimits
{
    /**
     * @param  int  $most  characters, or the greatest number
     * @param  int  $least  the smallest number
     * @param  string  $pattern  regular expression that a text has to match; empty for none
     * @param  string  $says  what is said where it does not
     * @param  array<string, string>  $choices  what it means, by value
     */
    public function __construct(public int $most = 200, public int $least = 0, public bool $optional = false, public string $pattern = '', public string $says = '', public array $choices = [])
    {
    }
}
